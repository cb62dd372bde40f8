import { Knot } from './Knot'

function Page({ children }: { children: React.ReactNode }) {
  return (
    <>
      <header className="shell">
        <span className="brand">
          <Knot /> Rope Bench
        </span>
      </header>
      <main>
        <section className="panel empty">{children}</section>
      </main>
    </>
  )
}

/** Shown where the service knows no bench yet. */
export function NoBench() {
  return (
    <Page>
      <h1>No bench yet</h1>
      <p>
        A bench is a folder with one <code>*.bench.yaml</code> file: the inputs of your model, how its solver is run, what is read from it,
        and what the product must achieve. Look at one from the terminal, and it will appear here:
      </p>
      <p>
        <code>ropebench try my.bench.yaml</code>
      </p>
      <p className="mb-0">
        For an example, start <code>ropebench demo</code>.
      </p>
    </Page>
  )
}

/** Shown where the service does not let this browser in, or does not answer. */
export function Refused({ error, locked }: { error: Error; locked: boolean }) {
  return (
    <Page>
      <h1>{locked ? 'This browser has no key' : 'The service does not answer'}</h1>
      <p className="mb-0">
        {locked ? (
          <>
            The console is opened by a link that works once. Print a fresh one with <code>ropebench link</code>, and open it in this browser.
          </>
        ) : (
          <>
            {error.message} Is it still running? Start it with <code>ropebench serve</code>, and open the link that it prints.
          </>
        )}
      </p>
    </Page>
  )
}
