import type { CSSProperties, ReactNode } from 'react'

type Props = { title?: string; aside?: ReactNode; first?: boolean; style?: CSSProperties; children: ReactNode }

/** A part of a page with its heading, the first one or not; the aside stands in slate behind it. */
export function Panel({ title, aside, first, style, children }: Props) {
  const Heading = first ? 'h1' : 'h2'
  return (
    <section className="panel" style={style}>
      {title && (
        <Heading className="panel-title">
          {title} {aside && <span className="unit">{aside}</span>}
        </Heading>
      )}
      {children}
    </section>
  )
}
