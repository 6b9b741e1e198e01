import { PageTabs } from '../lens/PageTabs'

const VIEWS = { flows: 'Ask about a flow', 'flows/saved': 'Saved questions' }

/** What there is to see about flows. */
export function FlowTabs() {
  return <PageTabs label="Views of the flows" tabs={VIEWS} />
}
