import { Form } from 'react-bootstrap'
import type { Input, Value } from '../api/types'
import { show, titled } from '../words'

const positions = 400 // of a slider where the input has no steps

/** Where a value stands on its slider, from 0 to 1, on the scale of the input. */
export function shareOf(input: Input, value: number): number {
  const { lower, upper } = input.range!
  return input.log ? Math.log(value / lower) / Math.log(upper / lower) : (value - lower) / (upper - lower)
}

/** The value at a share of the way of a slider: on a step where the input has steps, otherwise of few digits. */
export function valueAt(input: Input, share: number): number {
  const { lower, upper } = input.range!
  const value = input.log ? lower * (upper / lower) ** share : lower + share * (upper - lower)
  if (input.step) return Math.min(upper, Number((lower + Math.round((value - lower) / input.step) * input.step).toPrecision(12)))
  return Math.min(upper, Math.max(lower, Number(value.toPrecision(4))))
}

/** One input that can be turned: a slider and a field, or a list. */
export function Slider({ input, value, nominal, onTurn }: { input: Input; value: Value; nominal: Value; onTurn: (value: Value) => void }) {
  const label = titled(input.name, input.unit)
  const choices = input.choices?.words ?? input.choices?.numbers
  return (
    <div className="mb-2">
      <div className="d-flex justify-content-between align-items-baseline gap-2">
        <span title={input.label} className="wrap">
          {label}
        </span>
        {value !== nominal && (
          <button type="button" className="plain-link muted" onClick={() => onTurn(nominal)} aria-label={`${input.name} back to its nominal value`}>
            nominal {show(nominal)}
          </button>
        )}
      </div>
      {choices ? (
        <Form.Select size="sm" aria-label={label} value={String(value)} onChange={(e) => onTurn(choices.find((c) => String(c) === e.target.value)!)}>
          {choices.map((c) => (
            <option key={c}>{c}</option>
          ))}
        </Form.Select>
      ) : (
        <div className="d-flex gap-2 align-items-center">
          <Form.Range
            aria-label={label}
            min={0}
            max={input.step ? Math.round((input.range!.upper - input.range!.lower) / input.step) : positions}
            step={1}
            value={Math.round(shareOf(input, Number(value)) * (input.step ? Math.round((input.range!.upper - input.range!.lower) / input.step) : positions))}
            aria-valuetext={show(value)}
            onChange={(e) => onTurn(valueAt(input, Number(e.target.value) / Number(e.target.max)))}
          />
          <NumberField key={String(value)} label={`${input.name} as a number`} value={Number(value)} onSet={onTurn} />
        </div>
      )}
    </div>
  )
}

/** A number that counts once it is left, or Enter is pressed. */
function NumberField({ label, value, onSet }: { label: string; value: number; onSet: (value: number) => void }) {
  const set = (text: string) => {
    const number = Number(text)
    if (text.trim() !== '' && Number.isFinite(number) && number !== value) onSet(number)
  }
  return (
    <Form.Control
      size="sm"
      aria-label={label}
      defaultValue={value}
      inputMode="decimal"
      style={{ width: 90 }}
      className="text-end"
      onBlur={(e) => set(e.target.value)}
      onKeyDown={(e) => {
        if (e.key === 'Enter') set(e.currentTarget.value)
      }}
    />
  )
}
