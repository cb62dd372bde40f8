import { NavLink, Outlet } from 'react-router'
import { usePlace } from '../places/place'

const pages = [
  { path: '', name: 'Overview' },
  { path: 'decks', name: 'Decks' },
  { path: 'results', name: 'Results' },
  { path: 'files', name: 'Files' },
  { path: 'revisions', name: 'Revisions' },
]

/** The pages of the place Model. */
export function ModelTabs() {
  const place = usePlace()
  return (
    <>
      <nav className="tabs" aria-label="Model">
        {pages.map((page) => (
          <NavLink key={page.path} to={page.path} end={page.path === ''} relative="route">
            {page.name}
          </NavLink>
        ))}
      </nav>
      <Outlet context={place} />
    </>
  )
}
