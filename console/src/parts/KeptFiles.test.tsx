import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { KeptFiles } from './KeptFiles'

afterEach(() => {
  cleanup()
  vi.unstubAllGlobals()
})

/** Shows the kept files of run 4, of which the service has these. */
function show(files: Record<number, Record<string, string>>) {
  vi.stubGlobal('fetch', async (path: string) => {
    const [, evaluation, name] = /evaluations\/(\d+)\/files\/?(.*)$/.exec(path) ?? []
    if (!evaluation) return new Response(JSON.stringify(Object.keys(files).map((n) => ({ evaluation: Number(n), bytes: 12_345 }))))
    const texts = files[Number(evaluation)]!
    if (!name) return new Response(JSON.stringify(Object.entries(texts).map(([file, text]) => ({ path: file, bytes: text.length }))))
    return new Response(texts[decodeURIComponent(name)])
  })
  render(
    <QueryClientProvider client={new QueryClient()}>
      <KeptFiles run={4} />
    </QueryClientProvider>,
  )
}

describe('files that were kept', () => {
  it('opens a file of an evaluation, as text, and gives it out', async () => {
    show({ 3: { 'a b.log': '<b>NOT CONVERGED</b>' }, 17: { 'run.log': 'bad luck' } })
    expect((await screen.findByText(/The files of/)).textContent).toBe('The files of 2 evaluations were kept')
    fireEvent.change(screen.getByLabelText('Evaluation whose files are shown'), { target: { value: '3' } })
    fireEvent.click(await screen.findByText('a b.log'))
    expect((await screen.findByLabelText<HTMLTextAreaElement>('a b.log')).value).toBe('<b>NOT CONVERGED</b>')
    const out = screen.getByText<HTMLAnchorElement>('Take it out')
    expect(out.getAttribute('href')).toBe('/v1/runs/4/evaluations/3/files/a%20b.log')
    expect(out.download).toBe('a b.log')
    expect(screen.getByRole('option', { name: 'evaluation 17, 12.3 kB' })).toBeTruthy()
    fireEvent.click(screen.getByText('a b.log'))
    expect(screen.queryByText('Take it out')).toBeNull()
  })

  it('says nothing where none were', async () => {
    show({})
    await new Promise((done) => setTimeout(done))
    expect(document.body.textContent).toBe('')
  })
})
