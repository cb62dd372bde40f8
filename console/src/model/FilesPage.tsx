import { useMemo, useRef, useState } from 'react'
import { Button, Form } from 'react-bootstrap'
import { useNavigate, useParams } from 'react-router'
import { useBenchSchema, useCheck, useFile, useFiles, useSaveFile } from '../api/files'
import type { FileText, Schema } from '../api/types'
import { Panel } from '../parts/Panel'
import { Remarks } from '../parts/Remarks'
import { FileProblems, Trouble } from '../parts/Trouble'
import { usePlace } from '../places/place'
import { TextEditor, type EditorHandle } from './TextEditor'

/** The bench file and its decks, to be changed in the folder, with what is wrong beside the text. */
export function FilesPage() {
  const { bench } = usePlace()
  const files = useFiles(bench.name, bench.revision)
  const navigate = useNavigate()
  const file = useParams()['*'] || files.data?.file
  const text = useFile(bench.name, file)
  const schema = useBenchSchema()
  return (
    <main style={{ gridTemplateColumns: 'minmax(0, 1fr) 340px' }}>
      {files.error && <Trouble error={files.error} />}
      {text.error && <Trouble error={text.error} />}
      {schema.error && <Trouble error={schema.error} />}
      {text.data && schema.data && (
        <Editor key={`${file}:${text.data.digest}`} bench={bench.name} file={text.data} schema={file === files.data?.file ? schema.data : undefined}>
          <Panel title="Files" aside={bench.folder}>
            <Form.Select aria-label="File" value={file} onChange={(e) => void navigate(`../files/${e.target.value}`)}>
              {files.data?.files.map((f) => (
                <option key={f.path} value={f.path} disabled={!f.text}>
                  {f.path}
                  {f.text ? '' : ' (no text of less than 2 MB)'}
                </option>
              ))}
            </Form.Select>
          </Panel>
        </Editor>
      )}
    </main>
  )
}

function Editor({ bench, file, schema, children }: { bench: string; file: FileText; schema: Schema | undefined; children: React.ReactNode }) {
  const [text, setText] = useState(file.text)
  const editor = useRef<EditorHandle>(null)
  const changed = text !== file.text
  const check = useCheck(bench, file.path, text, changed)
  const save = useSaveFile(bench, file.path)
  const problems = useMemo(() => (changed ? (check.data?.problems ?? []) : []), [changed, check.data])
  const own = useMemo(() => problems.filter((p) => p.file === file.path), [problems, file.path])
  return (
    <>
      <Panel title={file.path} aside={changed ? 'changed, not saved' : 'as it stands in its folder'}>
        <TextEditor label={file.path} text={file.text} schema={schema} problems={own} onChange={setText} handle={editor} />
      </Panel>
      <div className="d-flex flex-column gap-3">
        {children}
        <Panel title="Check" aside={changed ? 'of the text as it is typed' : undefined}>
          {!changed && <p className="muted mb-2">Change the text, and what is wrong with it is said here at once.</p>}
          {changed && check.error && <Trouble error={check.error} />}
          {problems.length > 0 && (
            <ul className="problems">
              {problems.map((p) => (
                <li key={`${p.file}:${p.line}:${p.message}`}>
                  {p.file === file.path ? <button onClick={() => editor.current?.goTo(p.line)}>line {p.line}</button> : <b>{p.file}, line {p.line}</b>}: {p.message}
                </li>
              ))}
            </ul>
          )}
          {changed && check.data?.statement && problems.length === 0 && (
            <>
              <p className="mb-2">
                <span className="tag">no mistakes</span>
              </p>
              <Remarks remarks={check.data.remarks ?? []} />
              <pre className="statement-text">{check.data.statement}</pre>
            </>
          )}
          <div className="d-flex gap-2 mt-2">
            <Button disabled={!changed || save.isPending} onClick={() => save.mutate({ text, digest: file.digest })}>
              {problems.length > 0 ? 'Save all the same' : 'Save'}
            </Button>
            <Button variant="outline" disabled={!changed} onClick={() => editor.current?.replace(file.text)}>
              Undo all
            </Button>
          </div>
          {save.error && <Trouble error={save.error} />}
          {save.data?.problems && <FileProblems problems={save.data.problems} />}
        </Panel>
      </div>
    </>
  )
}
