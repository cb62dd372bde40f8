/** What is no mistake in a bench and is worth a look. */
export function Remarks({ remarks }: { remarks: string[] }) {
  return remarks.map((remark) => (
    <p key={remark} className="note" role="note">
      {remark}
    </p>
  ))
}
