/** What is no mistake in a bench and is worth a look. */
export function Remarks({ remarks }: { remarks: string[] }) {
  if (remarks.length === 0) return null
  return (
    <ul className="note problems" aria-label="Remarks">
      {remarks.map((remark) => (
        <li key={remark}>{remark}</li>
      ))}
    </ul>
  )
}
