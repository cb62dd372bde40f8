import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { benchPath, inPath, request } from './request'
import type { Adopted, Adoption, Deck, Edited, Files, FileText, NewOutput, PlacesOrder, Problem, Results, Revision, Schema, Spot, Way } from './types'

const filePath = (bench: string, kind: 'files' | 'decks', file: string) => `${benchPath(bench)}/${kind}/${inPath(file)}`

// The revision is part of each key: what belongs to a bench is asked again when it has changed.

export const useFiles = (bench: string, revision: number) =>
  useQuery({ queryKey: ['files', bench, revision], queryFn: () => request<Files>('GET', `${benchPath(bench)}/files`), placeholderData: (before) => before })

/** How often a file that is shown is looked at: somebody may change it elsewhere. */
const lookEvery = 3000

export const useFile = (bench: string, file: string | undefined) =>
  useQuery({
    queryKey: ['file', bench, file], queryFn: () => request<FileText>('GET', filePath(bench, 'files', file!)), enabled: file !== undefined,
    refetchInterval: lookEvery, refetchOnWindowFocus: 'always',
  })

export const useDeck = (bench: string, revision: number, file: string | undefined, from: number) =>
  useQuery({
    queryKey: ['deck', bench, file, from, revision],
    queryFn: () => request<Deck>('GET', `${filePath(bench, 'decks', file!)}?from=${from}`),
    enabled: file !== undefined,
    placeholderData: (before: Deck | undefined) => (before?.path === file && before?.from === from ? before : undefined),
  })

export const useRevisions = (bench: string, revision: number) =>
  useQuery({ queryKey: ['revisions', bench, revision], queryFn: () => request<Revision[]>('GET', `${benchPath(bench)}/revisions`) })

/** The JSON Schema of the bench file. */
export const useBenchSchema = () => useQuery({ queryKey: ['schema'], queryFn: () => request<Schema>('GET', '/schema/bench.json'), staleTime: Infinity })

/** What is wrong if a file has this text; asked for each text that is typed. */
export const useCheck = (bench: string, file: string, text: string) =>
  useQuery({
    queryKey: ['check', bench, file, text],
    queryFn: () => request<{ problems: NonNullable<Problem['problems']>; remarks?: string[]; statement?: string }>('POST', `${benchPath(bench)}/check`, { files: { [file]: text } }),
    placeholderData: (before) => before,
    gcTime: 0,
  })

const useEdited = (bench: string) => {
  const queries = useQueryClient()
  return () => Promise.all(['bench', 'file', 'files', 'deck', 'revisions', 'results'].map((kind) => queries.invalidateQueries({ queryKey: [kind, bench] })))
}

export const useSaveFile = (bench: string, file: string) => {
  const edited = useEdited(bench)
  return useMutation({
    mutationFn: (body: { text: string; digest: string }) => request<Edited>('PUT', filePath(bench, 'files', file), body),
    onSuccess: edited,
  })
}

export const useChangePlaces = (bench: string) => {
  const edited = useEdited(bench)
  return useMutation({ mutationFn: (order: PlacesOrder) => request<Edited>('POST', `${benchPath(bench)}/places`, order), onSuccess: edited })
}

export const useAdopt = (bench: string) => {
  const edited = useEdited(bench)
  return useMutation({
    mutationFn: (order: Adoption) => request<Adopted>('POST', `${benchPath(bench)}/adoptions`, order),
    onSuccess: (done) => (done.written ? edited() : undefined),
  })
}

// What the last evaluation has left is that of a revision and of the newest evaluation.

export const useResults = (bench: string, of: string) =>
  useQuery({ queryKey: ['results', bench, of], queryFn: () => request<Results>('GET', `${benchPath(bench)}/results`), placeholderData: (before) => before })

export const useResultFile = (bench: string, file: string, from: number) =>
  useQuery({ queryKey: ['results', bench, file, from], queryFn: () => request<Deck>('GET', `${benchPath(bench)}/results/${inPath(file)}?from=${from}`) })

export const useWays = (bench: string, spot: Spot) =>
  useQuery({ queryKey: ['results', bench, 'ways', spot], queryFn: () => request<Way[]>('POST', `${benchPath(bench)}/ways`, spot) })

export const useAddOutput = (bench: string) => {
  const edited = useEdited(bench)
  return useMutation({ mutationFn: (output: NewOutput) => request<Edited>('POST', `${benchPath(bench)}/outputs`, output), onSuccess: edited })
}

export const archiveOf = (bench: string, revision: number) => `${benchPath(bench)}/archive?revision=${revision}`
