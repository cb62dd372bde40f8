/** A grid of values: a row of z for each y, with NaN where there is none. */
export type Grid = { x: number[]; y: number[]; z: number[][] }

export type Segment = [number, number, number, number]

/**
 * The line along which a grid has a value, in pieces: within each cell straight, as marching squares draw it (W. E. Lorensen, H. E. Cline,
 * Computer Graphics 21 (1987), in two dimensions).
 */
export function contour({ x, y, z }: Grid, level: number): Segment[] {
  const found: Segment[] = []
  for (let r = 0; r + 1 < y.length; r++)
    for (let c = 0; c + 1 < x.length; c++) {
      const corners = [
        [x[c]!, y[r]!, z[r]![c]!], [x[c + 1]!, y[r]!, z[r]![c + 1]!], [x[c + 1]!, y[r + 1]!, z[r + 1]![c + 1]!], [x[c]!, y[r + 1]!, z[r + 1]![c]!],
      ] as const
      if (corners.some((corner) => Number.isNaN(corner[2]))) continue
      const cuts: [number, number][] = []
      for (let k = 0; k < 4; k++) {
        const [a, b] = [corners[k]!, corners[(k + 1) % 4]!]
        if (a[2] < level === b[2] < level) continue
        const t = (level - a[2]) / (b[2] - a[2])
        cuts.push([a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1])])
      }
      for (let k = 0; k + 1 < cuts.length; k += 2) found.push([...cuts[k]!, ...cuts[k + 1]!] as Segment)
    }
  return found
}

/** From the least to the most of a grid. */
export function extent({ z }: Grid): [number, number] {
  let [low, high] = [Infinity, -Infinity]
  for (const row of z)
    for (const v of row) {
      if (v < low) low = v
      if (v > high) high = v
    }
  return high > low ? [low, high] : [low, low + 1]
}

/** Levels between two ends, at round numbers, about so many. */
export function levels([low, high]: [number, number], about: number): number[] {
  const rough = (high - low) / about
  const power = 10 ** Math.floor(Math.log10(rough))
  const step = [1, 2, 5, 10].map((k) => k * power).find((s) => s >= rough)!
  const found: number[] = []
  for (let v = Math.ceil(low / step) * step; v < high; v += step) found.push(Number(v.toPrecision(12)))
  return found
}

export type LevelLine = { level: number; segments: Segment[] }

/** The lines at round levels of a grid, of those levels that are wanted. */
export function levelLines(grid: Grid, ends: [number, number], wanted: (level: number) => boolean = () => true): LevelLine[] {
  return levels(ends, 9)
    .filter(wanted)
    .map((level) => ({ level, segments: contour(grid, level) }))
}
