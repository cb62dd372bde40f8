import type { Judgment, Requirement } from '../api/types'

/** The pattern of reserves, once for each page. */
export const Hatching = () => (
  <svg width="0" height="0" style={{ position: 'absolute' }} aria-hidden="true">
    <defs>
      <pattern id="hatch" width="5" height="5" patternTransform="rotate(45)" patternUnits="userSpaceOnUse">
        <rect width="5" height="5" fill="var(--panel)" />
        <line x1="0" y1="0" x2="0" y2="5" stroke="var(--slate)" strokeWidth="1.4" />
      </pattern>
    </defs>
  </svg>
)

const missedShare = 0.32 // of the width is left of the limit

/**
 * The margin as a bar from its limit, the line: to the right where the requirement is met, to the left where it is
 * missed; the reserve hatched. The length is the margin as a share of the limit.
 */
export function MarginBar({ requirement, judged, width = 190 }: { requirement: Requirement; judged?: Judgment; width?: number }) {
  const limit = width * missedShare
  const room = width - limit
  const scale = Math.max(0, ...requirement.limits.map(Math.abs)) || 1
  const length = judged?.margin === undefined ? 0 : Math.max(-limit, Math.min(room, (judged.margin / scale) * room))
  const reserve = Math.min(room, ((requirement.reserve ?? 0) / scale) * room)
  return (
    <svg width={width} height="16" role="img" aria-label={judged?.margin === undefined ? 'no margin' : `margin ${judged.margin}`}>
      <rect x="0" y="6" width={width} height="4" rx="2" fill="var(--line)" />
      {reserve > 0 && <rect x={limit} y="3" width={reserve} height="10" fill="url(#hatch)" stroke="var(--slate)" strokeWidth=".6" />}
      <rect x={Math.min(limit, limit + length)} y="5" width={Math.abs(length)} height="6" fill={length < 0 ? 'var(--ochre)' : 'var(--teal)'} />
      <line x1={limit} x2={limit} y1="0" y2="16" stroke="var(--ink)" strokeWidth="1.6" />
    </svg>
  )
}
