import type { Input, Result } from '../api/types'
import { change, show } from '../words'
import { Value } from './Value'

/** A design beside the nominal one: the varied inputs, and others that differ from the nominal. */
export function InputsTable({ inputs, design, ends, name }: { inputs: Input[]; design: Record<string, number | string>; ends?: Result['at_ends']; name: string }) {
  const shown = inputs.filter((input) => input.varied || design[input.name] !== input.nominal)
  return (
    <table className="plain">
      <thead>
        <tr>
          <th>input</th>
          <th>nominal</th>
          <th>{name}</th>
          <th className="left">change</th>
        </tr>
      </thead>
      <tbody>
        {shown.map((input) => {
          const value = design[input.name] ?? input.nominal
          const end = ends?.find((e) => e.input === input.name)
          return (
            <tr key={input.name}>
              <td className="wrap" title={input.label}>
                {input.name}
              </td>
              <td className="muted">{show(input.nominal)}</td>
              <td>
                <Value value={value} unit={input.unit} />
              </td>
              <td className="left wrap">
                {end?.guess ? (
                  <span className="tag warn">at its guessed {end.end} end</span>
                ) : end ? (
                  <span className="tag calm">at its {end.end} end</span>
                ) : (
                  <span className="muted text-nowrap">{change(input.nominal, value)}</span>
                )}
              </td>
            </tr>
          )
        })}
      </tbody>
    </table>
  )
}
