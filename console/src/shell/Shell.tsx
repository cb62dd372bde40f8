import { Dropdown } from 'react-bootstrap'
import { Link, NavLink, Outlet, useLocation, useNavigate, useParams } from 'react-router'
import type { Connection } from '../api/live'
import { useBench, useRuns } from '../api/queries'
import type { Bench, BenchSummary, Run } from '../api/types'
import { Hatching } from '../parts/MarginBar'
import { Trouble } from '../parts/Trouble'
import { Boundary } from './Boundary'
import { Knot } from './Knot'
import { useTheme } from './theme'

/** What every place is given: the bench and its runs. */
export type Place = { bench: Bench; runs: Run[] }

const places = ['model', 'explore', 'improve', 'decide', 'prove'] as const

/** The frame of every page: which bench, the five places as knots of a rope, and whether the page is live. */
export function Shell({ benches, connection }: { benches: BenchSummary[]; connection: Connection }) {
  const name = useParams().bench ?? ''
  const { pathname } = useLocation()
  const bench = useBench(name)
  const runs = useRuns(name)
  const done = bench.data && runs.data ? placesDone(runs.data) : new Set<string>()
  return (
    <>
      <header className="shell">
        <Link className="brand" to="/">
          <Knot /> Rope Bench
        </Link>
        {bench.data && <BenchName bench={bench.data} benches={benches} />}
        <nav className="rope" aria-label="Places">
          {places.map((place) => (
            <NavLink key={place} to={place} className={({ isActive }) => (isActive ? 'active' : '') + (done.has(place) ? ' done' : '')}>
              {place[0]!.toUpperCase() + place.slice(1)}
            </NavLink>
          ))}
        </nav>
        <Status connection={connection} />
      </header>
      <Hatching />
      {bench.error && <Trouble error={bench.error} />}
      {runs.error && <Trouble error={runs.error} />}
      {bench.data && runs.data && (
        <Boundary key={pathname}>
          <Outlet context={{ bench: bench.data, runs: runs.data } satisfies Place} />
        </Boundary>
      )}
    </>
  )
}

/** The knots that are filled: places where something was done. */
function placesDone(runs: Run[]): Set<string> {
  const done = new Set<string>()
  for (const run of runs.filter((r) => r.usable > 0)) {
    const kind = run.question.kind
    done.add('model')
    if (kind === 'sample' || kind === 'sensitivity') done.add('explore')
    if (kind === 'optimize') done.add('improve')
    if (kind === 'verify') done.add('prove')
  }
  return done
}

function BenchName({ bench, benches }: { bench: Bench; benches: BenchSummary[] }) {
  const navigate = useNavigate()
  return (
    <div className="bench-name">
      {benches.length > 1 ? (
        <Dropdown onSelect={(name) => name && void navigate(`/bench/${encodeURIComponent(name)}/model`)}>
          <Dropdown.Toggle as="button" title={bench.title || bench.name}>
            <span>{bench.title || bench.name}</span>
          </Dropdown.Toggle>
          <Dropdown.Menu>
            {benches.map((b) => (
              <Dropdown.Item key={b.name} eventKey={b.name} active={b.name === bench.name}>
                {b.title || b.name} <span className="muted">{b.name}</span>
              </Dropdown.Item>
            ))}
          </Dropdown.Menu>
        </Dropdown>
      ) : (
        <b title={bench.title || bench.name}>{bench.title || bench.name}</b>
      )}
      <small className="d-block">
        {bench.name}, revision {bench.revision} of {new Date(bench.changed).toLocaleString('en', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit', hour12: false })}
      </small>
    </div>
  )
}

function Status({ connection }: { connection: Connection }) {
  const [dark, toggle] = useTheme()
  return (
    <div className={`connection ${connection}`} role="status">
      <button onClick={toggle} title={dark ? 'Light theme' : 'Dark theme'} aria-label={dark ? 'Light theme' : 'Dark theme'}>
        {dark ? '☀' : '☾'}
      </button>
      <i />
      {connection === 'lost' ? 'not connected' : connection}
    </div>
  )
}
