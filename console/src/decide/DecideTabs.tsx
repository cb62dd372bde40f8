import { Tabs } from '../parts/Tabs'

const pages = [
  { path: '', name: 'Side by side' },
  { path: 'runs', name: 'Runs' },
  { path: 'what-if', name: 'What if' },
]

/** The pages of the place Decide. */
export const DecideTabs = () => <Tabs place="Decide" pages={pages} />
