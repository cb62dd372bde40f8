import { cleanup, render, screen } from '@testing-library/react'
import { afterEach, describe, expect, it } from 'vitest'
import type { Bench } from '../api/types'
import { percent } from '../words'
import { RarePanel, WorstPanel } from './Rare'

const bench = { requirements: [{ id: 'R1', of: 'pull', says: 'Light enough', limit: 'at most 38', decisive: true }, { id: 'R2', of: 'gap', limit: 'at least 3', decisive: true }] } as unknown as Bench

describe('rare misses', () => {
  it('are shown with what leads to them', () => {
    render(
      <RarePanel
        bench={bench}
        rare={{
          R1: { found: true, points: 1, says: 'most of it comes from more load', index: 3.753, first_order: 8.7e-5, miss: { value: 9e-5, from: 8e-5, to: 1e-4 }, at: { load: 13 }, shares: { load: 0.75, wind: -0.25 }, used: 300, decides: true },
          R2: { found: false, points: 0, says: 'its margin does not change with what scatters', used: 5, decides: true },
        }}
        probabilities={{ R1: { met: 0.99991, from: 0.9999, to: 0.99992, asked: 0.999, verdict: 'met' } }}
      />,
    )
    expect(screen.queryByText('R1 Light enough')).not.toBeNull()
    expect(screen.queryByRole('img', { name: 'load 75 %, wind 25 %' })).not.toBeNull()
    expect(screen.queryByText('3.753')).not.toBeNull()
    expect(screen.queryByText('its margin does not change with what scatters')).not.toBeNull()
  })

  afterEach(cleanup)

  it('and the worst within the tolerances with where it is', () => {
    render(<WorstPanel bench={bench} worst={{ R2: { evaluation: 7, value: 2.9, margin: -0.1, verdict: 'missed', at: { pin: 0.9, reach: 4.7 }, says: '', decides: true } }} />)
    expect(screen.queryByText('pin 0.9, reach 4.7')).not.toBeNull()
    expect(screen.queryByText('R1 Light enough')).toBeNull()
  })
})

describe('a percentage', () => {
  it('tells what is not the whole', () => {
    expect([0, 0.86, 0.99, 0.999999, 1, 0.00012345].map(percent)).toEqual(['0 %', '86 %', '99 %', '99.9999 %', '100 %', '0.0123 %'])
  })
})
