import { useState } from 'react'
import { Button, Form } from 'react-bootstrap'
import { useKeepSelection, useMatching, useSelections } from '../api/explore'
import { select, useSelection } from '../api/selection'
import { columnOf, marksOf, type Table } from '../api/table'
import { Trouble } from '../parts/Trouble'

/** What is selected in all figures and tables: by a click on a button, by a condition, or as it was kept under a name. */
export function SelectionBar({ run, table, best }: { run: number; table: Table; best?: number }) {
  const selected = useSelection(run)
  const kept = useSelections(run)
  const keep = useKeepSelection(run)
  const matching = useMatching(run)
  const [where, setWhere] = useState('')
  const [name, setName] = useState('')
  const feasible = () => {
    const marks = marksOf(table)
    select(run, columnOf(table, 'evaluation').numbers.filter((_, row) => marks[row] === 0))
  }
  return (
    <div className="selection-bar">
      <b>{selected.size === 0 ? 'Nothing selected' : `${selected.size.toLocaleString('en')} selected`}</b>
      <Button size="sm" variant="outline" onClick={feasible}>
        Feasible
      </Button>
      {best !== undefined && (
        <Button size="sm" variant="outline" onClick={() => select(run, [best])}>
          Best
        </Button>
      )}
      <Form
        className="d-flex gap-1"
        onSubmit={(event) => {
          event.preventDefault()
          if (where.trim() !== '') matching.mutate(where, { onSuccess: ({ evaluations }) => select(run, evaluations) })
        }}
      >
        <Form.Control size="sm" style={{ width: 240 }} aria-label="condition" placeholder="condition: peak_g < 2.5 and cost < 2000" value={where} onChange={(e) => setWhere(e.target.value)} />
        <Button size="sm" variant="outline" type="submit" disabled={matching.isPending}>
          Select
        </Button>
      </Form>
      {selected.size > 0 && (
        <>
          <Button size="sm" variant="outline" onClick={() => select(run, [])}>
            None
          </Button>
          <Form
            className="d-flex gap-1"
            onSubmit={(event) => {
              event.preventDefault()
              if (name.trim() !== '') keep.mutate({ name, evaluations: [...selected] }, { onSuccess: () => setName('') })
            }}
          >
            <Form.Control size="sm" style={{ width: 120 }} aria-label="name of the selection" placeholder="name it" value={name} onChange={(e) => setName(e.target.value)} />
            <Button size="sm" variant="outline" type="submit" disabled={keep.isPending || name.trim() === ''}>
              Keep
            </Button>
          </Form>
        </>
      )}
      {(kept.data ?? []).map((one) => (
        <span className="tag" key={one.name}>
          <button className="plain-link" onClick={() => select(run, one.evaluations)}>
            {one.name}
          </button>{' '}
          {one.evaluations.length}{' '}
          <button className="plain-link" aria-label={`forget the selection ${one.name}`} onClick={() => keep.mutate({ name: one.name })}>
            ×
          </button>
        </span>
      ))}
      {[matching.error, keep.error, kept.error].map((error) => error && <Trouble key={error.message} error={error} />)}
    </div>
  )
}
