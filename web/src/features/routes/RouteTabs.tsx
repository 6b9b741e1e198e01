import { PageTabs } from '../lens/PageTabs'

const VIEWS = {
  routes: 'Route lookup',
  'routes/sessions': 'Sessions',
  'routes/policies': 'Policies',
  'routes/agreement': 'As read',
}

/** What there is to see about routes. */
export function RouteTabs() {
  return <PageTabs label="Views of the routes" tabs={VIEWS} />
}
