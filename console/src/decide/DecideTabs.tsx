import { NavLink, Outlet } from 'react-router'
import { usePlace } from '../places/place'

const pages = [
  { path: '', name: 'Side by side' },
  { path: 'what-if', name: 'What if' },
]

/** The pages of the place Decide. */
export function DecideTabs() {
  const place = usePlace()
  return (
    <>
      <nav className="tabs" aria-label="Decide">
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
