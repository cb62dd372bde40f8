import { createColumnHelper, flexRender, getCoreRowModel, useReactTable, type SortingState } from '@tanstack/react-table'
import { useMemo, useState } from 'react'
import { Button, Dropdown, Form } from 'react-bootstrap'
import { select, toggle, useSelection } from '../api/selection'
import { cellOf, columnOf, inputsOf, markOf, sortedRows, valuesOf, type MarkKind, type Table } from '../api/table'
import { show } from '../words'
import { filteredRows, testOf } from './filters'

const helper = createColumnHelper<number>() // a row by its index
const pageSize = 12

/** The table of evaluations, sorted by a click on a heading; a click on a row selects it. Filtered, each column has a filter, and can be left out. */
export function EvaluationsTable({ table: evaluations, run, filtered, best }: { table: Table; run: number; filtered?: boolean; best?: number }) {
  const [sorting, setSorting] = useState<SortingState>([{ id: 'evaluation', desc: true }])
  const [page, setPage] = useState(0)
  const [filters, setFilters] = useState<Record<string, string>>({})
  const [hidden, setHidden] = useState<string[]>([])
  const selected = useSelection(run)
  const columns = useMemo(
    () => [
      helper.display({ id: 'mark', header: () => <span className="visually-hidden">mark</span>, cell: ({ row }) => <Mark kind={markOf(evaluations, row.original)} best={columnOf(evaluations, 'evaluation').numbers[row.original] === best} /> }),
      ...[columnOf(evaluations, 'evaluation'), ...inputsOf(evaluations), ...valuesOf(evaluations)].filter((column) => !hidden.includes(column.name)).map((column) =>
        helper.accessor((row) => cellOf(column, row), { id: column.name, header: column.name === 'evaluation' ? 'no.' : column.name, cell: (c) => show(c.getValue()) }),
      ),
      ...(Object.keys(evaluations.reasons).length > 0
        ? [helper.display({ id: 'why', header: 'why', cell: ({ row }) => <span className="why">{evaluations.reasons[columnOf(evaluations, 'evaluation').numbers[row.original]!]}</span> })]
        : []),
    ],
    [evaluations, hidden, best],
  )
  const rows = useMemo(
    () => filteredRows(evaluations, sortedRows(evaluations, columnOf(evaluations, sorting[0]?.id ?? 'evaluation'), sorting[0]?.desc ?? false), filters),
    [evaluations, sorting, filters],
  )
  const first = Math.min(page, Math.max(0, Math.ceil(rows.length / pageSize) - 1)) * pageSize
  const data = useMemo(() => [...rows.subarray(first, first + pageSize)], [rows, first])
  // eslint-disable-next-line react-hooks/incompatible-library -- nothing here is compiled to be memoized
  const table = useReactTable({
    data, columns, state: { sorting }, manualSorting: true, enableSortingRemoval: false, getCoreRowModel: getCoreRowModel(),
    onSortingChange: (change) => {
      setSorting(change)
      setPage(0)
    },
  })
  const numbers = columnOf(evaluations, 'evaluation').numbers
  return (
    <>
      {filtered && (
        <div className="d-flex flex-wrap gap-3 align-items-center mb-2">
          <Dropdown autoClose="outside">
            <Dropdown.Toggle size="sm" variant="outline">
              Columns
            </Dropdown.Toggle>
            <Dropdown.Menu className="px-3">
              {[...inputsOf(evaluations), ...valuesOf(evaluations)].map(({ name }) => (
                <Form.Check key={name} type="checkbox" id={`column-${name}`} label={name} checked={!hidden.includes(name)} onChange={(e) => setHidden(e.target.checked ? hidden.filter((other) => other !== name) : [...hidden, name])} />
              ))}
            </Dropdown.Menu>
          </Dropdown>
          <Button size="sm" variant="outline" disabled={rows.length === 0} onClick={() => select(run, Array.from(rows, (row) => numbers[row]!))}>
            Select what is listed
          </Button>
          <a href={`/v1/runs/${run}/table?format=csv`} download>
            CSV
          </a>
          <a href={`/v1/runs/${run}/table?format=xlsx`} download>
            XLSX
          </a>
        </div>
      )}
      <div className="scroll">
        <table className="plain points">
          <thead>
            {table.getHeaderGroups().map((group) => (
              <tr key={group.id}>
                {group.headers.map((header) => (
                  <th key={header.id} className={header.id === 'why' ? 'left' : undefined} aria-sort={header.column.getIsSorted() === 'asc' ? 'ascending' : header.column.getIsSorted() === 'desc' ? 'descending' : 'none'}>
                    {header.column.getCanSort() ? (
                      <button onClick={header.column.getToggleSortingHandler()}>
                        {flexRender(header.column.columnDef.header, header.getContext())}
                        {{ asc: ' ↑', desc: ' ↓' }[header.column.getIsSorted() as string] ?? ''}
                      </button>
                    ) : (
                      flexRender(header.column.columnDef.header, header.getContext())
                    )}
                  </th>
                ))}
              </tr>
            ))}
            {filtered && (
              <tr className="filters">
                {table.getVisibleLeafColumns().map((column) => (
                  <td key={column.id}>
                    {column.id !== 'mark' && column.id !== 'why' && (
                      <input
                        aria-label={`filter of ${column.id}`} placeholder="> < .." value={filters[column.id] ?? ''} aria-invalid={filters[column.id] ? testOf(filters[column.id]!) === undefined : undefined}
                        onChange={(e) => {
                          setFilters({ ...filters, [column.id]: e.target.value })
                          setPage(0)
                        }}
                      />
                    )}
                  </td>
                ))}
              </tr>
            )}
          </thead>
          <tbody>
            {table.getRowModel().rows.map((row) => {
              const number = numbers[row.original]!
              return (
                <tr
                  key={row.id} className={`link ${selected.has(number) ? 'chosen' : ''}`} title={evaluations.reasons[number]}
                  onClick={(event) => (event.ctrlKey || event.metaKey || event.shiftKey ? toggle(run, number) : select(run, selected.has(number) && selected.size === 1 ? [] : [number]))}
                >
                  {row.getVisibleCells().map((cell) => (
                    <td key={cell.id} className={cell.column.id === 'why' ? 'left' : undefined}>
                      {cell.column.id === 'evaluation' ? (
                        <button className="plain-link" aria-pressed={selected.has(number)} aria-label={`select evaluation ${number}`}>
                          {show(number)}
                        </button>
                      ) : (
                        flexRender(cell.column.columnDef.cell, cell.getContext())
                      )}
                    </td>
                  ))}
                </tr>
              )
            })}
          </tbody>
        </table>
      </div>
      <div className="d-flex gap-2 align-items-center mt-2">
        <Button size="sm" variant="outline" disabled={first === 0} onClick={() => setPage(first / pageSize - 1)}>
          Previous
        </Button>
        <Button size="sm" variant="outline" disabled={first + pageSize >= rows.length} onClick={() => setPage(first / pageSize + 1)}>
          Next
        </Button>
        {rows.length > pageSize && (
          <Form.Control
            key={first} size="sm" inputMode="numeric" style={{ width: 72 }} aria-label="Page" defaultValue={first / pageSize + 1}
            onKeyDown={(e) => e.key === 'Enter' && setPage(Math.max(0, (Number.parseInt(e.currentTarget.value) || 1) - 1))}
            onBlur={(e) => setPage(Math.max(0, (Number.parseInt(e.currentTarget.value) || 1) - 1))}
          />
        )}
        {rows.length > pageSize && <span className="muted">of {Math.ceil(rows.length / pageSize).toLocaleString('en')} pages;</span>}
        <span className="muted">
          {rows.length === 0 ? 'none yet' : `${first + 1} to ${Math.min(rows.length, first + pageSize)} of ${rows.length.toLocaleString('en')}`}
          {selected.size > 0 && `, ${selected.size.toLocaleString('en')} selected`}; all digits: <code>ropebench table {run} --csv</code>
        </span>
        {selected.size > 0 && (
          <Button size="sm" variant="outline" onClick={() => select(run, [])}>
            Select none
          </Button>
        )}
      </div>
    </>
  )
}

/** The mark of an evaluation, the same as in figures and on the terminal. */
export function Mark({ kind, best }: { kind: MarkKind; best?: boolean }) {
  if (best)
    return (
      <>
        <Mark kind={kind} /> <b>best</b>
      </>
    )
  if (kind === 'feasible') return <span title="feasible" style={{ color: 'var(--teal)' }}>●</span>
  if (kind === 'failed') return <span title="failed" style={{ color: 'var(--slate)' }}>▪</span>
  return <span title={kind === 'untried' ? 'not tried' : kind} style={{ color: 'var(--ochre)' }}>◇</span>
}
