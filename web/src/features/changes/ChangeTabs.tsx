import { PageTabs } from '../lens/PageTabs'

const VIEWS = { changes: 'Changes', compare: 'What moves', history: 'History' }

/** What there is to see about what becomes, or became, otherwise. */
export function ChangeTabs() {
  return <PageTabs label="Views of changes" tabs={VIEWS} />
}
