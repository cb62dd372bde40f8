/** A design that a report is about: a candidate by its name, or an evaluation of a run. */
export type Reported = { candidate: string } | { run: number; evaluation: number }

/** Where what is known of a design is written: a page, or verdicts for other programs. */
export function reportOf(bench: string, about: Reported, as?: string): string {
  const query = new URLSearchParams(Object.entries(about).map(([name, value]) => [name, String(value)]))
  if (as) {
    query.set('as', as)
    query.set('download', 'yes')
  }
  return `/v1/benches/${encodeURIComponent(bench)}/report?${query}`
}
