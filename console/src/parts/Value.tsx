import { show } from '../words'

/** A number with its unit in slate beside it, or a word. */
export function Value({ value, unit }: { value: number | string | null | undefined; unit?: string }) {
  return (
    <>
      {show(value)} {unit && typeof value !== 'string' && <span className="unit">{unit}</span>}
    </>
  )
}
