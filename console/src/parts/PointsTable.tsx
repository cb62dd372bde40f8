import { createColumnHelper, flexRender, getCoreRowModel, getPaginationRowModel, getSortedRowModel, useReactTable, type SortingState } from '@tanstack/react-table'
import { useMemo, useState } from 'react'
import { Button } from 'react-bootstrap'
import type { Point, Points } from '../api/types'
import { show } from '../words'

const helper = createColumnHelper<Point>()

/** The table of evaluations, sorted by a click on a heading. */
export function PointsTable({ points, run }: { points: Points; run: number }) {
  const [sorting, setSorting] = useState<SortingState>([{ id: 'evaluation', desc: true }])
  const columns = useMemo(
    () => [
      helper.display({ id: 'mark', header: '', cell: ({ row }) => <Mark point={row.original} /> }),
      helper.accessor('evaluation', { header: 'no.' }),
      ...points.inputs.map((name, i) => helper.accessor((p) => p.design[i], { id: `input ${name}`, header: name, cell: (c) => show(c.getValue()) })),
      ...points.columns.map((name, i) =>
        helper.accessor((p) => p.values?.[i] ?? undefined, { id: `value ${name}`, header: name, sortUndefined: 'last', cell: (c) => show(c.getValue()) }),
      ),
    ],
    [points.inputs, points.columns],
  )
  const table = useReactTable({
    data: points.points, columns, state: { sorting }, onSortingChange: setSorting, autoResetPageIndex: false,
    getCoreRowModel: getCoreRowModel(), getSortedRowModel: getSortedRowModel(), getPaginationRowModel: getPaginationRowModel(),
    initialState: { pagination: { pageSize: 12 } },
  })
  const { pageIndex, pageSize } = table.getState().pagination
  const total = points.points.length
  return (
    <>
      <div className="scroll">
        <table className="plain points">
          <thead>
            {table.getHeaderGroups().map((group) => (
              <tr key={group.id}>
                {group.headers.map((header) => (
                  <th key={header.id} aria-sort={header.column.getIsSorted() === 'asc' ? 'ascending' : header.column.getIsSorted() === 'desc' ? 'descending' : 'none'}>
                    {header.column.getCanSort() ? (
                      <button onClick={header.column.getToggleSortingHandler()}>
                        {flexRender(header.column.columnDef.header, header.getContext())}
                        {{ asc: ' ↑', desc: ' ↓' }[header.column.getIsSorted() as string] ?? ''}
                      </button>
                    ) : null}
                  </th>
                ))}
              </tr>
            ))}
          </thead>
          <tbody>
            {table.getRowModel().rows.map((row) => (
              <tr key={row.id} title={row.original.reason}>
                {row.getVisibleCells().map((cell) => (
                  <td key={cell.id}>{flexRender(cell.column.columnDef.cell, cell.getContext())}</td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <div className="d-flex gap-2 align-items-center mt-2">
        <Button size="sm" variant="outline" disabled={!table.getCanPreviousPage()} onClick={() => table.previousPage()}>
          Before
        </Button>
        <Button size="sm" variant="outline" disabled={!table.getCanNextPage()} onClick={() => table.nextPage()}>
          Next
        </Button>
        <span className="muted">
          {total === 0 ? 'none yet' : `${pageIndex * pageSize + 1} to ${Math.min(total, (pageIndex + 1) * pageSize)} of ${total}`}; all digits:{' '}
          <code>ropebench points {run} --csv</code>
        </span>
      </div>
    </>
  )
}

/** The mark of an evaluation, the same as in figures and on the terminal. */
export function Mark({ point }: { point: Point }) {
  if (point.feasible) return <span title="feasible" style={{ color: 'var(--teal)' }}>●</span>
  if (point.state === 'ok') return <span title="infeasible" style={{ color: 'var(--ochre)' }}>◇</span>
  if (point.state === 'not tried') return <span title="not tried" style={{ color: 'var(--ochre)' }}>◇</span>
  return <span title={point.state} style={{ color: 'var(--slate)' }}>▪</span>
}
