import { show } from '../words'

/** A number with its unit in slate beside it. */
export function Value({ value, unit }: { value: number | null | undefined; unit?: string }) {
  return (
    <>
      {show(value)} {unit && <span className="unit">{unit}</span>}
    </>
  )
}
