import { shade, type Colours } from './colours'

/** Where a number of an axis stands on the canvas. */
export type Scale = (value: number) => number

/** Rows with a place each, and the kind of mark that each has: its place in markKinds. */
export type Marked = { x: ArrayLike<number>; y: ArrayLike<number>; marks: Uint8Array }

type Painted = (context: CanvasRenderingContext2D, size: number, colours: Colours) => void

/** The marks of the product about the middle of the canvas, in the order of markKinds. */
const painted: Painted[] = [circle, diamond, diamond, bar]

function circle(context: CanvasRenderingContext2D, size: number, colours: Colours) {
  context.arc(0, 0, size, 0, 2 * Math.PI)
  context.fillStyle = colours.teal
  context.fill()
}

function diamond(context: CanvasRenderingContext2D, size: number, colours: Colours) {
  for (const [x, y] of [[0, -size], [size, 0], [0, size], [-size, 0]] as const) context.lineTo(x, y)
  context.closePath()
  context.lineWidth = size / 2.5
  context.strokeStyle = colours.ochre
  context.stroke()
}

function bar(context: CanvasRenderingContext2D, size: number, colours: Colours) {
  context.fillStyle = colours.slate
  context.fillRect(-size / 3, -size, (2 * size) / 3, 2 * size)
}

/** A mark that is selected is larger, on a disc in ink. */
const selected =
  (mark: Painted): Painted =>
  (context, size, colours) => {
    context.arc(0, 0, 1.9 * size, 0, 2 * Math.PI)
    context.fillStyle = colours.ink
    context.fill()
    context.beginPath()
    context.arc(0, 0, 1.9 * size - size / 2.5, 0, 2 * Math.PI)
    context.fillStyle = colours.panel
    context.fill()
    context.beginPath()
    mark(context, 1.15 * size, colours)
  }

/** Pictures of marks: thousands of them are copied quicker than painted. */
const pictures = new Map<string, HTMLCanvasElement[]>()

function picturesOf(how: string, paint: Painted[], size: number, colours: Colours): HTMLCanvasElement[] {
  const key = `${how} ${size} ${colours.teal} ${colours.ink}`
  const known = pictures.get(key)
  if (known) return known
  const made = paint.map((mark) => {
    const canvas = document.createElement('canvas')
    canvas.width = canvas.height = 2 * Math.ceil(2.4 * size)
    const context = canvas.getContext('2d')
    if (context) {
      context.translate(canvas.width / 2, canvas.height / 2)
      context.beginPath()
      mark(context, size, colours)
    }
    return canvas
  })
  if (pictures.size > 50) pictures.clear()
  pictures.set(key, made)
  return made
}

type On = { context: CanvasRenderingContext2D; scales: [Scale, Scale]; foot: number; colours: Colours; size: number }

function copyMarks({ context, scales: [toX, toY], foot, size }: On, { x, y, marks }: Marked, made: HTMLCanvasElement[], rows: ArrayLike<number> | undefined) {
  const half = made[0]!.width / 2
  const count = rows ? rows.length : marks.length
  for (let i = 0; i < count; i++) {
    const row = rows ? rows[i]! : i
    const mark = marks[row]!
    const at = heightOf(mark, y[row]!, toY, foot - size)
    if (Number.isFinite(at)) context.drawImage(made[mark]!, Math.round(toX(x[row]!) - half), Math.round(at - half))
  }
}

/** Where a mark stands: a failed evaluation has no value, but it has inputs. */
const heightOf = (mark: number, value: number, toY: Scale, foot: number) => (mark === 3 && Number.isNaN(value) ? foot : toY(value))

/**
 * Draws the marks that the product has everywhere: a feasible design is a filled circle in teal, an infeasible one a hollow
 * diamond in ochre, a failed one a small slate bar, at the foot of the figure where it has no value.
 */
export const drawMarks = (on: On, marked: Marked) => copyMarks(on, marked, picturesOf('plain', painted, on.size, on.colours), undefined)

/** How many shades are told apart. */
export const shades = 24

/** Draws the marks in the shades of a third number, each its place among the shades: a failed one has none. */
export function drawShaded(on: On, marked: Marked, third: Uint8Array) {
  const of = (feasible: boolean) =>
    Array.from({ length: shades }, (_, k): Painted => (context, size, colours) => {
      const own = { ...colours, teal: shade(k / (shades - 1), colours), ochre: shade(k / (shades - 1), colours) }
      if (feasible) circle(context, size, own)
      else diamond(context, size, own)
    })
  const made = [picturesOf('shaded', of(true), on.size, on.colours), picturesOf('shaded hollow', of(false), on.size, on.colours)]
  const failed = picturesOf('plain', painted, on.size, on.colours)[3]!
  const half = failed.width / 2
  for (let row = 0; row < marked.marks.length; row++) {
    const mark = marked.marks[row]!
    const at = heightOf(mark, marked.y[row]!, on.scales[1], on.foot - on.size)
    if (Number.isFinite(at)) on.context.drawImage(mark === 3 ? failed : made[mark === 0 ? 0 : 1]![third[row]!]!, Math.round(on.scales[0](marked.x[row]!) - half), Math.round(at - half))
  }
}

/** The place of each number among the shades, from the least to the most. */
export function shadesOf(numbers: Float64Array): Uint8Array {
  let [low, high] = [Infinity, -Infinity]
  for (const v of numbers) {
    if (v < low) low = v
    if (v > high) high = v
  }
  return Uint8Array.from(numbers, (v) => (high > low ? Math.round(((v - low) / (high - low)) * (shades - 1)) : 0))
}

/** From how many on selected marks are plain squares in ink: their discs would cover each other, and take their time. */
const many = 500

/** Draws the marks of some rows as selected. */
export function drawSelected(on: On, marked: Marked, rows: ArrayLike<number>) {
  if (rows.length < many) {
    copyMarks(on, marked, picturesOf('selected', painted.map(selected), on.size, on.colours), rows)
    return
  }
  const { context, scales: [toX, toY], foot, size } = on
  const side = Math.max(2, Math.round(1.6 * size))
  context.fillStyle = on.colours.ink
  for (let i = 0; i < rows.length; i++) {
    const row = rows[i]!
    const at = heightOf(marked.marks[row]!, marked.y[row]!, toY, foot - size)
    if (Number.isFinite(at)) context.fillRect(Math.round(toX(marked.x[row]!) - side / 2), Math.round(at - side / 2), side, side)
  }
}

/** The nominal design: a ring in ink. */
export function drawRing(context: CanvasRenderingContext2D, x: number, y: number, colours: Colours, size: number) {
  context.beginPath()
  context.arc(x, y, size, 0, 2 * Math.PI)
  context.lineWidth = size / 2.7
  context.strokeStyle = colours.ink
  context.stroke()
}

/** A line through points, straight or in steps that change at each point. */
export function drawLine(context: CanvasRenderingContext2D, x: ArrayLike<number>, y: ArrayLike<number>, [toX, toY]: [Scale, Scale], colour: string, width: number, stepped = false) {
  context.beginPath()
  for (let i = 0; i < x.length; i++) {
    const [px, py] = [toX(x[i]!), toY(y[i]!)]
    if (i === 0) context.moveTo(px, py)
    else {
      if (stepped) context.lineTo(px, toY(y[i - 1]!))
      context.lineTo(px, py)
    }
  }
  context.lineWidth = width
  context.strokeStyle = colour
  context.stroke()
}

/** A limit across a whole figure. */
export type LimitLine = { at: number; words: string }

/** Draws limits as dashed lines with their words. */
export function drawLimits(context: CanvasRenderingContext2D, limits: LimitLine[], toY: Scale, box: DOMRectReadOnly, colours: Colours, ratio: number) {
  context.font = `${11 * ratio}px system-ui, sans-serif`
  context.textBaseline = 'alphabetic'
  for (const limit of limits) {
    const y = toY(limit.at)
    context.setLineDash([5 * ratio, 4 * ratio])
    drawLine(context, [box.left, box.right], [y, y], [(v) => v, (v) => v], colours.ochre, ratio)
    context.setLineDash([])
    context.fillStyle = colours.ochre
    context.textAlign = 'right'
    context.fillText(limit.words, box.right - 2 * ratio, y - 4 * ratio)
  }
}
