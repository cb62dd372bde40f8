import { useEffect, useMemo, useRef, useState } from 'react'
import { Button, Form } from 'react-bootstrap'
import { useNavigate, useParams } from 'react-router'
import { useBenchSchema, useCheck, useFile, useFiles, useSaveFile } from '../api/files'
import { inPath } from '../api/request'
import type { FileText, Schema } from '../api/types'
import { Panel } from '../parts/Panel'
import { Remarks } from '../parts/Remarks'
import { Trouble } from '../parts/Trouble'
import { usePlace } from '../places/place'
import { draftOf, keepDraft, type Draft } from './drafts'
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
        <Editor key={file} bench={bench.name} file={text.data} schema={file === files.data?.file ? schema.data : undefined}>
          <Panel title="Files" aside={bench.folder}>
            <Form.Select aria-label="File" value={file} onChange={(e) => void navigate(`../files/${inPath(e.target.value)}`)}>
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
  const [draft, setDraft] = useState(() => draftOf(bench, file.path))
  const editor = useRef<EditorHandle>(null)
  const text = draft?.text ?? file.text
  const check = useCheck(bench, file.path, text)
  const save = useSaveFile(bench, file.path)
  const problems = useMemo(() => check.data?.problems ?? [], [check.data])
  const own = useMemo(() => problems.filter((p) => p.file === file.path), [problems, file.path])
  const overtaken = draft !== undefined && draft.digest !== file.digest
  const keep = (next: Draft | undefined) => {
    keepDraft(bench, file.path, next)
    setDraft(next)
  }
  const type = (typed: string) => keep(typed === file.text ? undefined : { text: typed, digest: draft?.digest ?? file.digest })
  const anew = () => {
    keep(undefined)
    editor.current?.replace(file.text)
  }
  useEffect(() => {
    if (!draft) editor.current?.replace(file.text) // it has changed in its folder, and nothing of one's own is lost
  }, [draft, file.text])
  return (
    <>
      <Panel first title={file.path} aside={draft ? 'changed, not saved; kept in this tab' : 'as it stands in its folder'}>
        <TextEditor label={file.path} text={text} schema={schema} problems={own} onChange={type} handle={editor} />
      </Panel>
      <div className="d-flex flex-column gap-3">
        {children}
        {overtaken && (
          <Panel title="The file has changed in its folder">
            <p className="mb-2">Somebody has changed it since you began to type. Your text is still here.</p>
            <div className="d-flex gap-2">
              <Button variant="outline" onClick={anew}>
                Load it anew, drop mine
              </Button>
              <Button variant="outline" onClick={() => keep({ text, digest: file.digest })}>
                Go on with mine
              </Button>
            </div>
          </Panel>
        )}
        <Panel title="Check" aside={draft ? 'of the text as it is typed' : 'of the file as it stands'}>
          {check.error && <Trouble error={check.error} />}
          {problems.length > 0 && (
            <ul className="problems">
              {problems.map((p) => (
                <li key={`${p.file}:${p.line}:${p.message}`}>
                  {p.file === file.path ? <button onClick={() => editor.current?.goTo(p.line)}>line {p.line}</button> : <b>{p.file}, line {p.line}</b>}: {p.message}
                </li>
              ))}
            </ul>
          )}
          {check.data?.statement && problems.length === 0 && (
            <>
              <p className="mb-2">
                <span className="tag">no mistakes</span>
              </p>
              <Remarks remarks={check.data.remarks ?? []} />
              <pre className="statement-text">{check.data.statement}</pre>
            </>
          )}
          <div className="d-flex gap-2 mt-2">
            <Button disabled={!draft || overtaken || save.isPending} onClick={() => save.mutate({ text, digest: file.digest }, { onSuccess: () => keep(undefined) })}>
              {problems.length > 0 ? 'Save all the same' : 'Save'}
            </Button>
            <Button variant="outline" disabled={!draft} onClick={anew}>
              Undo all
            </Button>
          </div>
          {save.error && <Trouble error={save.error} />}
        </Panel>
      </div>
    </>
  )
}
