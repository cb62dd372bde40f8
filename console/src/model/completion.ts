import type { Schema } from '../api/types'

/** Where something is being written in a YAML text. */
export interface Spot {
  /** The keys that lead there from the top; an entry of a list is `[]`. */
  path: string[]
  place: 'key' | 'value'
  /** What stands there already, and where it begins in the text. */
  word: string
  from: number
  /** The other keys of the mapping that the spot is in, with their values as they are written. */
  beside: Map<string, string>
}

/** What can be written at a spot. */
export interface Offer {
  word: string
  meaning: string
}

interface Entry {
  column: number
  key: string
  value: string
}

/** The list marks and the key that a line of block style begins with: `- fill: a` has an entry `[]` and an entry `fill`. */
function entriesOf(line: string): Entry[] {
  const entries: Entry[] = []
  let column = line.length - line.trimStart().length
  while (line.startsWith('- ', column) || line.slice(column) === '-') {
    entries.push({ column, key: '[]', value: '' })
    column += 1 + (/^ +/.exec(line.slice(column + 1))?.[0].length ?? 1)
  }
  const pair = /^([A-Za-z0-9_.-]+|'[^']*'|"[^"]*") *:(?: +(.*))?$/.exec(line.slice(column))
  if (pair) entries.push({ column, key: unquoted(pair[1]!), value: pair[2] ?? '' })
  return entries
}

const unquoted = (word: string) => word.trim().replace(/^(['"])(.*)\1$/, '$2')

/** A flow mapping or list that is open at a place of a line. */
interface Frame {
  bracket: '' | '{' | '['
  key?: string
  /** Where the word that is being read begins. */
  start: number
  keys: Map<string, string>
}

/** Reads a line from `start`, until its end or until the frame that holds column `at` is closed; undefined inside a quote or a comment. */
function framesAt(line: string, start: number, at: number): Frame[] | undefined {
  const frames: Frame[] = [{ bracket: '', start, keys: new Map() }]
  let found: Frame[] | undefined
  let quote = ''
  const end = (i: number) => {
    const frame = frames.at(-1)!
    if (frame.key !== undefined) frame.keys.set(frame.key, line.slice(frame.start, i).trim())
    frame.key = undefined
    frame.start = i + 1
  }
  for (let i = start; i <= line.length; i++) {
    if (i === at) {
      if (quote) return undefined
      found = frames.map((frame) => ({ ...frame }))
    }
    const c = line[i]
    if (c === undefined || (!quote && c === '#' && /\s/.test(line[i - 1] ?? ' '))) break
    if (quote) quote = c === quote ? '' : quote
    else if ((c === '"' || c === "'") && line.slice(frames.at(-1)!.start, i).trim() === '') quote = c
    else if (c === '{' || c === '[') frames.push({ bracket: c, start: i + 1, keys: new Map() })
    else if (c === '}' || c === ']') {
      end(i)
      if (found && frames.length === found.length) break
      if (frames.length > 1) frames.pop()
    } else if (c === ',' && frames.length > 1) end(i)
    else if (c === ':' && (line[i + 1] ?? ' ') === ' ' && frames.at(-1)!.bracket !== '[') {
      const frame = frames.at(-1)!
      frame.key = unquoted(line.slice(frame.start, i))
      frame.start = i + 1
      frame.keys.set(frame.key, '')
    }
  }
  return found
}

/** Finds where in a YAML text the cursor is; undefined where nothing is to be completed: in a quote, a comment, a text of several lines. */
export function spotAt(text: string, cursor: number): Spot | undefined {
  const lines = text.split('\n')
  const row = text.slice(0, cursor).split('\n').length - 1
  const line = lines[row]!
  const at = cursor - (text.lastIndexOf('\n', cursor - 1) + 1)
  const before = line.slice(0, at)

  const marks = entriesOf(before).filter((e) => e.key === '[]')
  const column = /^[ ]*(?:- +)*/.exec(before)![0].length
  const frames = framesAt(line, column, at)
  if (!frames) return undefined

  const path = [...above(lines, row, marks[0]?.column ?? column, marks.length > 0), ...marks.map(() => '[]')]
  if (path.includes('|')) return undefined
  for (const [depth, frame] of frames.entries()) {
    if (frame.key !== undefined) path.push(frame.key)
    else if (frame.bracket === '[') path.push('[]')
    else if (depth < frames.length - 1) return undefined
  }
  const inner = frames.at(-1)!
  const word = before.slice(inner.start).trimStart()
  const beside = frames.length > 1 ? inner.keys : besides(lines, row, column)
  return {
    path,
    place: inner.key !== undefined || inner.bracket === '[' ? 'value' : 'key',
    word,
    from: cursor - word.length,
    beside: new Map([...beside].filter(([key]) => key !== word)),
  }
}

/** The keys above a line that hold what stands at its column. A text of several lines is a key `|`. */
function above(lines: string[], row: number, column: number, isItem: boolean): string[] {
  const path: string[] = []
  let limit = isItem ? column + 1 : column
  for (let i = row - 1; i >= 0 && limit > 0; i--) {
    const line = lines[i]!
    if (/^\s*(#|$)/.test(line)) continue
    for (const entry of entriesOf(line).reverse()) {
      if (entry.column >= limit || (isItem && entry.key === '[]' && entry.column === column)) continue
      path.unshift(...(/^[|>]/.test(entry.value) ? [entry.key, '|'] : [entry.key]))
      limit = entry.key === '[]' ? entry.column + 1 : entry.column
      isItem = entry.key === '[]'
      column = entry.column
    }
  }
  return path
}

/** The keys of block style that stand in the same mapping as a line, which may begin an entry of a list: `- fill: a`. */
function besides(lines: string[], row: number, column: number): Map<string, string> {
  const keys = new Map<string, string>()
  const indentOf = (line: string) => line.length - line.trimStart().length
  const look = (step: 1 | -1) => {
    for (let i = row + step; i >= 0 && i < lines.length; i += step) {
      const line = lines[i]!
      if (/^\s*(#|$)/.test(line)) continue
      const outside = indentOf(line) < column
      if (outside && step === 1) return
      const entry = entriesOf(line).find((e) => e.column === column && e.key !== '[]')
      if (entry) keys.set(entry.key, entry.value)
      if (outside) return
    }
  }
  if (indentOf(lines[row]!) === column) look(-1)
  look(1)
  return keys
}

/** All forms that a schema allows, references followed; of forms with a condition those that the keys beside do not exclude. */
function forms(schema: Schema, root: Schema, beside: Map<string, string>): Schema[] {
  if (schema.$ref) {
    const { $ref, ...own } = schema
    const target = root.$defs?.[$ref.replace('#/$defs/', '')]
    return target ? forms({ ...target, ...own }, root, beside) : []
  }
  const parts = [...(schema.oneOf ?? []), ...(schema.anyOf ?? []), ...(schema.allOf ?? [])].filter((part) => holds(part.if, beside)).map((part) => part.then ?? part)
  return [schema, ...parts.flatMap((part) => forms(part, root, beside))]
}

function holds(condition: Schema | undefined, beside: Map<string, string>): boolean {
  return Object.entries(condition?.properties ?? {}).every(([key, { const: wanted }]) => !beside.has(key) || unquoted(beside.get(key)!) === wanted)
}

/** What a key leads to, in a form of the mapping that holds it. */
function follow(form: Schema, key: string): Schema[] {
  if (key === '[]') return form.items ? [form.items] : []
  const named = form.properties?.[key]
  if (named) return [named]
  return typeof form.additionalProperties === 'object' ? [form.additionalProperties] : []
}

/** What can be written at a spot by the schema; names are offered where it wants a formula. */
export function offers(root: Schema, spot: Spot, names: Offer[]): Offer[] {
  let reached = [root]
  const unknown = new Map<string, string>()
  for (const key of spot.path) reached = reached.flatMap((schema) => forms(schema, root, unknown)).flatMap((form) => follow(form, key))
  const allowed = reached.flatMap((schema) => forms(schema, root, spot.place === 'key' ? spot.beside : unknown))
  const found = new Map<string, Offer>()
  for (const form of allowed) {
    if (spot.place === 'key') {
      for (const [word, schema] of Object.entries(form.properties ?? {})) {
        if (!spot.beside.has(word)) found.set(word, { word, meaning: schema.description ?? root.$defs?.[schema.$ref?.replace('#/$defs/', '') ?? '']?.description ?? '' })
      }
      continue
    }
    for (const word of form.enum ?? (form.const === undefined ? [] : [form.const])) found.set(String(word), { word: String(word), meaning: form.description ?? '' })
    if (form.type === 'boolean') for (const word of ['true', 'false']) found.set(word, { word, meaning: '' })
  }
  const free = allowed.some((form) => [form.type].flat().includes('string') && !form.properties)
  if (spot.place === 'value' && found.size === 0 && free) return names
  return [...found.values()]
}

/** The names that a bench file gives to its numbers, with their labels, read from the lines of its sections. */
export function namesIn(text: string): Offer[] {
  const names: Offer[] = []
  let section = ''
  for (const line of text.split('\n')) {
    const top = /^([a-z]+):/.exec(line)
    if (top) section = top[1]!
    const entry = /^ {2,4}([A-Za-z]\w*) *:(.*)$/.exec(line)
    if (!entry || !['inputs', 'outputs', 'derived'].includes(section)) continue
    const label = /label: *('[^']*'|"[^"]*"|[^,}]*)/.exec(entry[2]!)
    names.push({ word: entry[1]!, meaning: label ? unquoted(label[1]!) : section })
  }
  return names
}
