import { describe, expect, it } from 'vitest'
import rest from '../../../bench/schema.json'
import type { Schema } from '../api/types'
import { namesIn, offers, spotAt } from './completion'

const root: Schema = {
  properties: {
    title: { type: 'string' },
    inputs: { additionalProperties: { $ref: '#/$defs/input' } },
    solver: { properties: { noisy: { type: 'boolean' }, steps: { items: { oneOf: [{ properties: { run: { items: {} }, limit: {} } }, { properties: { fill: {} } }] } } } },
    studies: { additionalProperties: { $ref: '#/$defs/study' } },
  },
  $defs: {
    input: { description: 'A number', properties: { unit: {}, nominal: { description: 'The value' }, scale: { enum: ['log', 'linear'] }, ends: { items: { enum: ['hard', 'guess'] } } } },
    study: {
      properties: { kind: { enum: ['sample', 'optimize'] } },
      allOf: [
        { if: { properties: { kind: { const: 'sample' } } }, then: { properties: { points: { type: 'integer' } } } },
        { if: { properties: { kind: { const: 'optimize' } } }, then: { properties: { minimize: { type: ['string', 'number'] }, budget: { properties: { evaluations: {}, time: {} } } } } },
      ],
    },
  },
}

/** The words offered where `|` stands in a text. */
function at(marked: string) {
  const cursor = marked.indexOf('|')
  const text = marked.replace('|', '')
  const spot = spotAt(text, cursor)
  return spot && offers(root, spot, namesIn(text)).map((offer) => offer.word)
}

describe('completion', () => {
  it('offers the keys of the top that are not there yet', () => {
    expect(at('title: Winch\ninp|\nstudies:\n')).toEqual(['inputs', 'solver'])
  })
  it('offers keys and words in a mapping of one line, before and after others', () => {
    expect(at('inputs:\n  rate: {unit: kN, |}')).toEqual(['nominal', 'scale', 'ends'])
    expect(at('inputs:\n  rate: {|, nominal: 3}')).toEqual(['unit', 'scale', 'ends'])
    expect(at('inputs:\n  rate: {unit: kN, scale: l|}')).toEqual(['log', 'linear'])
    expect(at('inputs:\n  rate: {ends: [hard, |]}')).toEqual(['hard', 'guess'])
  })
  it('offers them in block style, in the entries of a list too', () => {
    expect(at('inputs:\n  rate:\n    unit: kN\n    |\n  mass:\n    nominal: 4')).toEqual(['nominal', 'scale', 'ends'])
    expect(at('solver:\n  steps:\n    - |')).toEqual(['run', 'limit', 'fill'])
    expect(at('solver:\n  steps:\n    - run: [a]\n      |\n    - fill: b')).toEqual(['limit', 'fill'])
    expect(at('solver:\n  steps:\n  - run: [a]\n  - |')).toEqual(['run', 'limit', 'fill'])
    expect(at('solver:\n  noisy: |')).toEqual(['true', 'false'])
  })
  it('offers the keys of the kind that a study has', () => {
    expect(at('studies:\n  best: {kind: optimize, |}')).toEqual(['minimize', 'budget'])
    expect(at('studies:\n  best:\n    |\n    kind: sample')).toEqual(['points'])
    expect(at('studies:\n  best: {kind: optimize, budget: {|}}')).toEqual(['evaluations', 'time'])
  })
  it('offers the names of the file where a formula is wanted', () => {
    expect(at('inputs:\n  rate: {label: Spring rate, nominal: 1}\nstudies:\n  best: {kind: optimize, minimize: r|}')).toEqual(['rate'])
  })
  it('keeps still in quotes, comments and texts of several lines', () => {
    expect(at("inputs:\n  rate: {label: 'the u|'}")).toBeUndefined()
    expect(at('title: a # n|')).toBeUndefined()
    expect(at('title: |\n  inp')?.toString()).toBe('')
    expect(spotAt('notes: |\n  inp', 14)).toBeUndefined()
  })
  it('reads the names and labels of each section', () => {
    expect(namesIn("inputs:\n  rate: {label: Spring rate, nominal: 1}\noutputs:\n  gap: {file: a}\nstudies:\n  best: {kind: sample}\n")).toEqual([
      { word: 'rate', meaning: 'Spring rate' },
      { word: 'gap', meaning: 'outputs' },
    ])
  })
  it('reads the schema that the service sends', () => {
    const offered = (marked: string) => offers(rest as unknown as Schema, spotAt(marked.replace('|', ''), marked.indexOf('|'))!, []).map((offer) => offer.word)
    expect(offered('inputs:\n  rate: {nominal: 1, |}')).toContain('range')
    expect(offered('solver:\n  steps:\n    - |')).toEqual(expect.arrayContaining(['fill', 'run', 'post', 'workbook']))
    expect(offered('solver:\n  dynamics:\n    time: {|}')).toEqual(['from', 'to', 'count', 'unit'])
  })
})
