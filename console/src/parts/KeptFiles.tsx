import { useState } from 'react'
import { Form } from 'react-bootstrap'
import { keptPath, shownBytes, useKept, useKeptFiles, useKeptText } from '../api/queries'
import { bytes } from '../words'
import { Trouble } from './Trouble'

/** The files that evaluations have left, where they were kept: to be looked through, or taken out. */
export function KeptFiles({ run }: { run: number }) {
  const kept = useKept(run)
  const [chosen, setChosen] = useState<number>()
  if (kept.error) return <Trouble error={kept.error} />
  if (!kept.data || kept.data.length === 0) return null
  return (
    <details className="mt-2">
      <summary>
        The files of {kept.data.length === 1 ? 'one evaluation' : `${kept.data.length} evaluations`} were kept
      </summary>
      <Form.Select
        size="sm" className="my-2" style={{ width: 'auto' }} aria-label="Evaluation whose files are shown" value={chosen ?? ''}
        onChange={(e) => setChosen(Number(e.target.value) || undefined)}
      >
        <option value="">Choose an evaluation</option>
        {kept.data.map((one) => (
          <option key={one.evaluation} value={one.evaluation}>
            evaluation {one.evaluation}, {bytes(one.bytes)}
          </option>
        ))}
      </Form.Select>
      {chosen !== undefined && <FilesOf key={chosen} run={run} evaluation={chosen} />}
    </details>
  )
}

function FilesOf({ run, evaluation }: { run: number; evaluation: number }) {
  const files = useKeptFiles(run, evaluation)
  const [open, setOpen] = useState<string>()
  const text = useKeptText(run, evaluation, open)
  const opened = files.data?.find((file) => file.path === open)
  return (
    <>
      {files.error && <Trouble error={files.error} />}
      <ul className="list-unstyled mb-2">
        {files.data?.map((file) => (
          <li key={file.path}>
            <button className="btn btn-link p-0" aria-expanded={file.path === open} onClick={() => setOpen(file.path === open ? undefined : file.path)}>
              {file.path}
            </button>{' '}
            <span className="muted">{bytes(file.bytes)}</span>
          </li>
        ))}
        {files.data?.length === 0 && <li className="muted">It has left no files.</li>}
      </ul>
      {text.error && <Trouble error={text.error} />}
      {open !== undefined && text.data !== undefined && (
        <>
          <textarea className="kept" aria-label={open} readOnly rows={16} value={text.data} />
          <p className="muted">
            {opened && opened.bytes > shownBytes && `These are the first ${bytes(shownBytes)}. `}
            <a href={keptPath(run, evaluation, open)} download={open.split('/').pop()}>
              Take it out
            </a>
          </p>
        </>
      )}
    </>
  )
}
