import { cleanup, render, screen } from '@testing-library/react'
import { afterEach, describe, expect, it } from 'vitest'
import type { Bench } from '../api/types'
import { RobustPanel } from './Robust'

const bench = { inputs: [{ name: 'area', unit: 'mm2', varied: true, nominal: 100 }, { name: 'pull', varied: false, nominal: 2 }] } as unknown as Bench

describe('a search over scatter', () => {
  afterEach(cleanup)

  it('is shown beside the design that ignores it', () => {
    render(
      <RobustPanel
        bench={bench}
        robust={{
          by: 'draws', draws: 200, inputs: ['pull'], trail: [], alone: { evaluation: 3, inputs: { area: 66.7, pull: 2 }, used: 33 },
          told: [{ of: 'expected(loss)', unit: 'N', value: 4.2, alone: 7.1 }, { of: 'deviation(room)', requirement: 'R3', limit: 'at most 1', value: 2, alone: 3, holds: false }],
        }}
      />,
    )
    expect(screen.getByText('7.1').tagName).toBe('TD')
    expect(screen.queryByText('R3 deviation(room)')).not.toBeNull()
    expect(screen.queryByText(/missed/)).not.toBeNull()
    expect(document.body.textContent).toContain('evaluation 3, after 33 evaluations: area 66.7 mm2.')
    expect(document.body.textContent).not.toContain('Predicted by surrogates')
  })

  it('says by how much surrogates were off, and shows no design that ignores scatter where there is none', () => {
    render(<RobustPanel bench={bench} robust={{ by: 'surrogates', draws: 32, inputs: ['pull'], trail: [], told: [{ of: 'deviation(y)', value: 1 }], checked: 0.02 }} />)
    expect(document.body.textContent).toContain('were off by at most 2 % of the spread')
    expect(screen.queryByText('ignoring it')).toBeNull()
  })
})
