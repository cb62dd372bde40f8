import { Tabs } from '../parts/Tabs'

const pages = [
  { path: '', name: 'Overview' },
  { path: 'decks', name: 'Decks' },
  { path: 'results', name: 'Results' },
  { path: 'files', name: 'Files' },
  { path: 'revisions', name: 'Revisions' },
]

/** The pages of the place Model. */
export const ModelTabs = () => <Tabs place="Model" pages={pages} />
