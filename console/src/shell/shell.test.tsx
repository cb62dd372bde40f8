import { fireEvent, render, screen } from '@testing-library/react'
import { describe, expect, it, vi } from 'vitest'
import { Boundary } from './Boundary'

describe('a mistake of a place', () => {
  it('is said, with a way back', () => {
    vi.spyOn(console, 'error').mockImplementation(() => {}) // React tells of it, too
    let broken = true
    const Place = () => {
      if (broken) throw new Error('the knot is loose')
      return <p>all is well</p>
    }
    render(
      <Boundary>
        <Place />
      </Boundary>,
    )
    expect(screen.getByRole('alert').textContent).toContain('the knot is loose')
    broken = false
    fireEvent.click(screen.getByText('Show the page again'))
    expect(screen.getByText('all is well')).toBeTruthy()
    vi.restoreAllMocks()
  })
})
