import { useCallback, useMemo } from 'react'
import { onSelection, select, selectionOf } from '../api/selection'
import type { Fit } from '../api/types'
import { Chart, type Painter } from '../parts/Chart'
import { drawLine } from '../parts/marks'
import { show, titled } from '../words'

/** What the others predict for each evaluation against what was computed, and below it what is left. */
export function FitFigure({ run, fit }: { run: number; fit: Fit }) {
  const computed = useMemo(() => spread(fit.points.map((p) => p.computed)), [fit])
  const predicted = useMemo(() => spread([...fit.points.map((p) => p.predicted), ...computed]), [fit, computed])
  const left = useMemo(() => spread([0, ...fit.points.map((p) => p.computed - p.predicted)]), [fit])
  return (
    <>
      <Panelled run={run} fit={fit} height={250} of={(p) => p.predicted} x={computed} y={predicted} title="predicted by the others" along={1} />
      <Panelled run={run} fit={fit} height={150} of={(p) => p.computed - p.predicted} x={computed} y={left} title="left" along={0} />
    </>
  )
}

type Point = Fit['points'][number]

type Props = { run: number; fit: Fit; height: number; of: (p: Point) => number; x: [number, number]; y: [number, number]; title: string; along: number }

function Panelled({ run, fit, height, of, x, y, title, along }: Props) {
  const paint = useCallback<Painter>(
    (context, scales, _box, colours, ratio) => {
      context.setLineDash([4 * ratio, 3 * ratio])
      drawLine(context, x, x.map((v) => along * v), scales, colours.slate, ratio)
      context.setLineDash([])
      for (const p of fit.points) disc(context, scales[0](p.computed), scales[1](of(p)), 2.6 * ratio, colours.teal)
    },
    [fit, x, along], // eslint-disable-line react-hooks/exhaustive-deps -- of belongs to the panel
  )
  const paintAbove = useCallback<Painter>(
    (context, scales, _box, colours, ratio) => {
      const selected = selectionOf(run)
      for (const p of fit.points) if (selected.has(p.evaluation)) disc(context, scales[0](p.computed), scales[1](of(p)), 4.6 * ratio, colours.ink)
    },
    [run, fit], // eslint-disable-line react-hooks/exhaustive-deps -- of belongs to the panel
  )
  const nearest = (atX: number, atY: number, near: { x: number; y: number }) => {
    let best: Point | undefined
    let least = 1
    for (const p of fit.points) {
      const apart = Math.max(Math.abs(p.computed - atX) / near.x, Math.abs(of(p) - atY) / near.y)
      if (apart < least) [best, least] = [p, apart]
    }
    return best
  }
  return (
    <Chart
      label={`${fit.value}: ${title} over computed`} height={height} paint={paint} paintAbove={paintAbove} onChangeAbove={onSelection} margins={{ left: 56 }}
      x={{ title: titled(`${fit.value}, computed`, fit.unit), range: x }} y={{ title, range: y }}
      tell={(atX, atY, near) => {
        const p = nearest(atX, atY, near)
        return p ? `evaluation ${p.evaluation}: computed ${show(p.computed)}, predicted ${show(p.predicted)}` : null
      }}
      onClick={(atX, atY, near) => {
        const p = nearest(atX, atY, near)
        select(run, p ? [p.evaluation] : [])
      }}
      onDrag={(from, to) => select(run, fit.points.filter((p) => p.computed >= from.x && p.computed <= to.x && of(p) >= from.y && of(p) <= to.y).map((p) => p.evaluation))}
    />
  )
}

function disc(context: CanvasRenderingContext2D, x: number, y: number, size: number, colour: string) {
  context.beginPath()
  context.arc(x, y, size, 0, 2 * Math.PI)
  context.fillStyle = colour
  context.fill()
}

/** From the least to the most of some numbers, with room. */
function spread(numbers: number[]): [number, number] {
  const [low, high] = numbers.reduce(([a, b], v) => [Math.min(a, v), Math.max(b, v)], [Infinity, -Infinity])
  const room = (high - low || Math.abs(low) || 1) * 0.06
  return [low - room, high + room]
}
