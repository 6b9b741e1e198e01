import { NavLink } from 'react-router'
import { useLinkTo } from './lens'

/** The views of one page, by the address below the network. */
export function PageTabs({ label, tabs }: { label: string; tabs: Record<string, string> }) {
  const to = useLinkTo()
  return (
    <nav aria-label={label} className="flex gap-1 print:hidden">
      {Object.entries(tabs).map(([page, title]) => (
        <NavLink
          key={page}
          end
          to={to(page)}
          className={({ isActive }) =>
            `rounded-md border px-3 py-1 no-underline ${isActive ? 'border-ink bg-ink text-paper' : 'border-line bg-card text-ink'}`
          }
        >
          {title}
        </NavLink>
      ))}
    </nav>
  )
}
