import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { EditorView } from '@codemirror/view'
import { act, cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react'
import { MemoryRouter, Outlet, Route, Routes } from 'react-router'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { Bench, Deck, Run } from '../api/types'
import type { Place } from '../shell/Shell'
import { Decks, equalBelow } from './Decks'
import { FilesPage } from './FilesPage'
import { ModelTabs } from './ModelTabs'
import { Revisions } from './Revisions'

const bench = { name: 'plate', folder: '/benches/plate', revision: 3, inputs: [{ name: 'web', nominal: 8, varied: true, says: '' }] } as unknown as Bench

const number = (text: string, field: number, inputs?: string[]) => ({ text, field, value: Number(text), ...(inputs ? { inputs } : {}) })
const deck: Deck = {
  path: 'plate.inp', from: 1, total: 4, blanks: false,
  lines: [[{ text: '*SHELL' }], [number('8.0', 1, ['web']), { text: ', ' }, number('5', 2)], [number('1', 1), { text: ', ' }, number('7.5', 2)], [number('2', 1), { text: ', ' }, number('7.5', 2)]],
}

let sent: { method: string; path: string; body: unknown }[] = []
let files = [{ path: 'plate.bench.yaml', size: 9, text: true }, { path: 'plate.inp', size: 9, text: true, deck: true }, { path: 'mesh.bin', size: 9, text: false }]
let problems: { file: string; line: number; message: string }[] = []

beforeEach(() => {
  sent = []
  problems = []
  files = [{ path: 'plate.bench.yaml', size: 9, text: true }, { path: 'plate.inp', size: 9, text: true, deck: true }, { path: 'mesh.bin', size: 9, text: false }]
  vi.stubGlobal('fetch', async (path: string, init?: { method?: string; body?: string }) => {
    const answer = (body: unknown) => new Response(JSON.stringify(body))
    if (init?.method !== 'GET') sent.push({ method: init!.method!, path, body: JSON.parse(init!.body!) })
    if (path.startsWith('/schema/')) return answer({})
    if (path.endsWith('/check')) return answer({ problems, statement: 'Find\n  web' })
    if (path.endsWith('/places') || init?.method === 'PUT') return answer({ revision: 4, digest: 'm2', text: '' })
    if (path.endsWith('/files')) return answer({ file: 'plate.bench.yaml', files })
    if (path.includes('/files/')) return answer({ path: 'plate.bench.yaml', text: 'bench: 1\ntitle: Plate\n', digest: 'm1' })
    if (path.includes('/decks/')) return answer(deck)
    return answer([{ number: 3, title: 'Plate', created: '2026-11-23T08:00:00Z', changes: ['web: nominal 7 -> 8'] }, { number: 1, title: 'Plate', created: '2026-11-22T08:00:00Z', changes: [] }])
  })
})

afterEach(() => {
  cleanup()
  vi.unstubAllGlobals()
})

function show(page: string) {
  const given: Place = { bench, runs: [{ revision: 3 }, { revision: 3 }] as Run[] }
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <MemoryRouter initialEntries={[`/model/${page}`]}>
        <Routes>
          <Route element={<Outlet context={given} />}>
            <Route path="/model" element={<ModelTabs />}>
              <Route path="decks/*" element={<Decks />} />
              <Route path="files/*" element={<FilesPage />} />
              <Route path="revisions" element={<Revisions />} />
            </Route>
          </Route>
        </Routes>
      </MemoryRouter>
    </QueryClientProvider>,
  )
}

describe('Decks', () => {
  it('takes a number, with the others that are equal to it', async () => {
    show('decks')
    fireEvent.click((await screen.findAllByText('7.5'))[0]!)
    expect(screen.getByText('A new input: nominal 7.5, range ±20 %, both ends a guess.')).toBeTruthy()
    fireEvent.change(screen.getByLabelText('Name of the input'), { target: { value: 'gap' } })
    fireEvent.click(screen.getByLabelText('and every other 7.5 in this column of the file, of which 1 is on the lines shown'))
    fireEvent.click(screen.getByText('Take'))
    await waitFor(() => expect(sent).toHaveLength(1))
    expect(sent[0]).toEqual({
      method: 'POST', path: '/v1/benches/plate/places',
      body: { deck: 'plate.inp', input: 'gap', nominal: 7.5, numbers: [{ line: 3, field: 2 }], equals: true },
    })
  })
  it('says that an input is there already', async () => {
    show('decks')
    fireEvent.click(await screen.findByText('5'))
    fireEvent.change(screen.getByLabelText('Name of the input'), { target: { value: 'web' } })
    expect(screen.getByText('web is an input already: it will stand here too.')).toBeTruthy()
    fireEvent.click(screen.getByText('Cancel'))
    expect(screen.queryByText('Take')).toBeNull()
  })
  it('gives a taken number back by a click', async () => {
    show('decks')
    fireEvent.click(await screen.findByTitle('web: click to give it back'))
    await waitFor(() => expect(sent).toHaveLength(1))
    expect(sent[0]!.body).toEqual({ deck: 'plate.inp', input: 'web', numbers: [{ line: 2, field: 1 }], give_back: true })
  })
  it('says what to do where there is no deck', async () => {
    files = [{ path: 'plate.bench.yaml', size: 9, text: true }]
    show('decks')
    await screen.findByText(/No step fills a deck/)
  })
  it('finds equal numbers in one column only', () => {
    expect(equalBelow(deck, { line: 3, field: 2, value: 7.5 })).toBe(1)
    expect(equalBelow(deck, { line: 9, field: 1, value: 8 })).toBe(0)
  })
})

const editorOf = async (file: string) => EditorView.findFromDOM(await screen.findByLabelText(file))!
const write = (editor: EditorView, text: string) => act(() => editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: text } }))

describe('FilesPage', () => {
  it('checks the text as it is typed, and saves it with the digest that it was read by', async () => {
    show('files')
    const editor = await editorOf('plate.bench.yaml')
    expect(screen.getByText<HTMLButtonElement>('Save').disabled).toBe(true)
    problems = [{ file: 'plate.bench.yaml', line: 2, message: 'title is missing' }]
    write(editor, 'bench: 1\ntitle:\n')
    fireEvent.click(await screen.findByText('line 2'))
    expect(editor.state.selection.main.from).toBe(9)
    fireEvent.click(screen.getByText('Save all the same'))
    await waitFor(() => expect(sent.some((s) => s.method === 'PUT')).toBe(true))
    expect(sent.find((s) => s.method === 'PUT')).toEqual({
      method: 'PUT', path: '/v1/benches/plate/files/plate.bench.yaml', body: { text: 'bench: 1\ntitle:\n', digest: 'm1' },
    })
  })
  it('shows the problem in words where the text has no mistakes', async () => {
    show('files')
    const editor = await editorOf('plate.bench.yaml')
    write(editor, 'bench: 1\n')
    await screen.findByText('no mistakes')
    fireEvent.click(screen.getByText('Undo all'))
    expect(editor.state.doc.toString()).toContain('title: Plate')
  })
})

describe('Revisions', () => {
  it('says what each changed, and offers its files', async () => {
    show('revisions')
    await screen.findByText('web: nominal 7 -> 8')
    expect(screen.getByText('the first')).toBeTruthy()
    expect((screen.getAllByText('zip')[0] as HTMLAnchorElement).getAttribute('href')).toBe('/v1/benches/plate/archive?revision=3')
    expect(screen.getAllByRole('row')[1]!.textContent).toContain('2')
  })
})
