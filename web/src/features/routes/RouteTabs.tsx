import { NavLink } from 'react-router'
import { useLinkTo } from '../lens/lens'

const VIEWS = { routes: 'Who and why', 'routes/sessions': 'Sessions', 'routes/policies': 'Policies', 'routes/drafts': 'Drafts' } as const

/** What there is to see about routes. */
export function RouteTabs() {
  const to = useLinkTo()
  return (
    <nav aria-label="Views of the routes" className="flex gap-1">
      {Object.entries(VIEWS).map(([page, title]) => (
        <NavLink key={page} end to={to(page)} className={({ isActive }) => `rounded-md border px-3 py-1 no-underline ${isActive ? 'border-ink bg-ink text-paper' : 'border-line bg-card text-ink'}`}>
          {title}
        </NavLink>
      ))}
    </nav>
  )
}
