import { useMemo } from 'react'
import type { Output, Requirement } from '../api/types'
import { ends, farthestApart, room } from '../parts/CurveFigure'
import { limitCurvesOf, limitsOf } from '../parts/limits'
import { Lines, type Line } from '../parts/Lines'
import { Panel } from '../parts/Panel'
import { titled } from '../words'
import type { Compared } from './compared'

const colours: Line['colour'][] = ['slate', 'teal', 'plum', 'ink', 'ochre']

/** A curve of several designs over each other, each with its name. */
export function Overlaid({ output, designs, requirements }: { output: Output; designs: Compared[]; requirements: Requirement[] }) {
  const drawn = useMemo(() => designs.flatMap((d) => (d.detail?.curves[output.name] ? [{ name: d.name, curve: d.detail.curves[output.name]! }] : [])), [designs, output.name])
  const lines = useMemo<Line[]>(
    () =>
      drawn.map(({ name, curve }, i) => {
        const other = drawn[i === 0 ? 1 : 0]
        return { name, ...curve, colour: colours[i % colours.length]!, width: i === 0 ? 1.3 : 2, nameAt: other ? farthestApart(curve, other.curve) : undefined }
      }),
    [drawn],
  )
  const drawnLines = useMemo(() => [...lines, ...limitCurvesOf(output, requirements)], [lines, output, requirements])
  const limits = useMemo(() => limitsOf(output, requirements), [output, requirements])
  const name = output.label ?? output.name
  if (drawn.length === 0) return null
  const curves = drawn.map((d) => d.curve)
  return (
    <Panel title={`${name} over ${output.x}`} style={{ gridColumn: '1 / 3' }}>
      <Lines
        lines={drawnLines} limits={limits} units={{ x: output.x_unit, y: output.unit }} height={240} label={`${name} over ${output.x}`}
        axes={{ x: { title: titled(output.x ?? 'x', output.x_unit), range: ends(curves) }, y: { title: titled(name, output.unit), range: room(drawnLines, limits.map((limit) => limit.at)) } }}
      />
    </Panel>
  )
}
