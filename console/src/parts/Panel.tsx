import type { CSSProperties, ReactNode } from 'react'

/** A part of a page with its heading; the aside stands in slate behind it. */
export function Panel({ title, aside, style, children }: { title?: string; aside?: ReactNode; style?: CSSProperties; children: ReactNode }) {
  return (
    <section className="panel" style={style}>
      {title && (
        <h2>
          {title} {aside && <span className="unit">{aside}</span>}
        </h2>
      )}
      {children}
    </section>
  )
}
