/** The mark of Rope Bench. */
export const Knot = () => (
  <svg width="26" height="26" viewBox="0 0 26 26" aria-hidden="true">
    <path d="M3 18c5-12 15 4 20-8M3 8c5 12 15-4 20 8" fill="none" stroke="var(--teal)" strokeWidth="2.6" strokeLinecap="round" />
  </svg>
)
