import { NavLink, Outlet } from 'react-router'
import { usePlace } from '../places/place'

/** The pages of a place: the one of an empty path is shown first. */
export function Tabs({ place, pages }: { place: string; pages: { path: string; name: string }[] }) {
  const context = usePlace()
  return (
    <>
      <nav className="tabs" aria-label={place}>
        {pages.map((page) => (
          <NavLink key={page.path} to={page.path} end={page.path === ''} relative="route">
            {page.name}
          </NavLink>
        ))}
      </nav>
      <Outlet context={context} />
    </>
  )
}
