import { useEffect, useMemo, useRef, useState } from 'react'
import { shade, useColours, type Colours } from './colours'
import { show } from '../words'
import { extent, type Grid } from './contours'

const height = 380

type Props = { grid: Grid; points: { x: number; y: number; z: number; feasible: boolean }[]; names: { x: string; y: string; z: string }; label: string }

/** A surface in three dimensions, turned by the pointer or the arrow keys, with the evaluations as they were computed. */
export function Relief({ grid, points, names, label }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const [turn, setTurn] = useState({ round: -0.7, up: 0.55 })
  const [held, setHeld] = useState<{ x: number; y: number }>()
  const [width, setWidth] = useState(500)
  const colours = useColours()
  const ends = useMemo(() => extent({ ...grid, z: [...grid.z, points.map((p) => p.z)] }), [grid, points])
  useEffect(() => {
    const observer = new ResizeObserver(() => setWidth(canvas.current!.parentElement!.clientWidth))
    observer.observe(canvas.current!.parentElement!)
    return () => observer.disconnect()
  }, [])
  useEffect(() => {
    const ratio = window.devicePixelRatio
    Object.assign(canvas.current!, { width: width * ratio, height: height * ratio })
    const context = canvas.current!.getContext('2d')
    if (!context) return
    context.scale(ratio, ratio)
    draw(context, width, grid, ends, points, names, turn, colours)
  }, [width, grid, ends, points, names, turn, colours])
  const by = (round: number, up: number) => setTurn((t) => ({ round: t.round + round, up: Math.min(1.4, Math.max(0.1, t.up + up)) }))
  return (
    <div>
      <canvas
        ref={canvas} className="turn" style={{ width: '100%', height }} role="img" aria-label={`${label}, in three dimensions: turn it by the arrow keys`} tabIndex={0}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId)
          setHeld({ x: e.clientX, y: e.clientY })
        }}
        onPointerMove={(e) => {
          if (!held) return
          by((e.clientX - held.x) / 150, (e.clientY - held.y) / 150)
          setHeld({ x: e.clientX, y: e.clientY })
        }}
        onPointerUp={() => setHeld(undefined)}
        onKeyDown={(e) => {
          const step = { ArrowLeft: [-0.1, 0], ArrowRight: [0.1, 0], ArrowUp: [0, 0.1], ArrowDown: [0, -0.1] }[e.key]
          if (!step) return
          e.preventDefault()
          by(step[0]!, step[1]!)
        }}
      />
    </div>
  )
}

type Turn = { round: number; up: number }

/** Where a point of the cube [-1, 1]^3 stands on a picture, and how near it is. */
export function project([x, y, z]: [number, number, number], { round, up }: Turn): [number, number, number] {
  const [c, s] = [Math.cos(round), Math.sin(round)]
  const [a, b] = [c * x - s * y, s * x + c * y]
  return [a, -Math.cos(up) * z - Math.sin(up) * b, Math.sin(up) * z - Math.cos(up) * b]
}

function draw(context: CanvasRenderingContext2D, width: number, grid: Grid, [low, high]: [number, number], points: Props['points'], names: Props['names'], turn: Turn, colours: Colours) {
  const size = Math.min(width / 3.5, height / 3)
  const unit = (v: number, at: number[]) => (2 * (v - at[0]!)) / (at.at(-1)! - at[0]! || 1) - 1
  const tall = (z: number) => 1.3 * ((z - low) / (high - low) - 0.5)
  const place = (p: [number, number, number]): [number, number, number] => {
    const [x, y, near] = project(p, turn)
    return [width / 2 + size * x, height / 2 + size * y, near]
  }
  const cells: { corners: [number, number, number][]; near: number; z: number }[] = []
  for (let r = 0; r + 1 < grid.y.length; r++)
    for (let c = 0; c + 1 < grid.x.length; c++) {
      const corners = [[r, c], [r, c + 1], [r + 1, c + 1], [r + 1, c]].map(([i, k]) => place([unit(grid.x[k!]!, grid.x), unit(grid.y[i!]!, grid.y), tall(grid.z[i!]![k!]!)]))
      if (corners.some(([, y]) => Number.isNaN(y))) continue
      cells.push({ corners, near: corners.reduce((sum, p) => sum + p[2], 0) / 4, z: (grid.z[r]![c]! + grid.z[r + 1]![c + 1]!) / 2 })
    }
  frame(context, width, place, grid, [low, high], names, colours)
  for (const { corners, z } of cells.sort((a, b) => a.near - b.near)) {
    context.beginPath()
    for (const [x, y] of corners) context.lineTo(x, y)
    context.closePath()
    context.fillStyle = shade((z - low) / (high - low), colours)
    context.fill()
    context.strokeStyle = colours.panel
    context.lineWidth = 0.3
    context.stroke()
  }
  for (const p of points) {
    const [x, y] = place([unit(p.x, grid.x), unit(p.y, grid.y), tall(p.z)])
    context.beginPath()
    if (p.feasible) context.arc(x, y, 2.4, 0, 2 * Math.PI)
    else for (const [dx, dy] of [[0, -3], [3, 0], [0, 3], [-3, 0], [0, -3]]) context.lineTo(x + dx!, y + dy!)
    context.fillStyle = colours.ink
    context.strokeStyle = colours.ink
    context.lineWidth = 1
    if (p.feasible) context.fill()
    else context.stroke()
  }
}

/** The edges of the floor and one upright, with names and ends. */
function frame(context: CanvasRenderingContext2D, width: number, place: (p: [number, number, number]) => [number, number, number], grid: Grid, [low, high]: [number, number], names: Props['names'], colours: Colours) {
  context.strokeStyle = colours.line
  context.lineWidth = 1
  const floor = -0.65
  const edge = (a: [number, number, number], b: [number, number, number]) => {
    const [p, q] = [place(a), place(b)]
    context.beginPath()
    context.moveTo(p[0], p[1])
    context.lineTo(q[0], q[1])
    context.stroke()
  }
  for (const [a, b] of [[[-1, -1], [1, -1]], [[1, -1], [1, 1]], [[1, 1], [-1, 1]], [[-1, 1], [-1, -1]]] as const) edge([a[0], a[1], floor], [b[0], b[1], floor])
  for (const [x, y] of [[-1, -1], [1, -1], [1, 1], [-1, 1]] as const) edge([x, y, floor], [x, y, 0.65])
  context.font = '11px system-ui, sans-serif'
  context.textAlign = 'center'
  const say = (words: string, at: [number, number, number], colour: string) => {
    const [x, y] = place(at)
    const half = context.measureText(words).width / 2 + 2
    context.fillStyle = colour
    context.fillText(words, Math.min(width - half, Math.max(half, x)), Math.min(height - 4, y + 4))
  }
  say(names.x, [0, -1.3, floor], colours.ink)
  say(names.y, [1.3, 0, floor], colours.ink)
  say(show(grid.x[0]), [-1, -1.15, floor], colours.slate)
  say(show(grid.x.at(-1)), [1, -1.15, floor], colours.slate)
  say(show(grid.y[0]), [1.15, -1, floor], colours.slate)
  say(show(grid.y.at(-1)), [1.15, 1, floor], colours.slate)
  say(show(Number(low.toPrecision(3))), [-1.15, -1.15, floor], colours.slate)
  say(`${names.z} ${show(Number(high.toPrecision(3)))}`, [-1.1, -1.1, 0.75], colours.ink)
}
