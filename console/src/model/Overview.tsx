import { Button } from 'react-bootstrap'
import { useEvaluation, useStartRun } from '../api/queries'
import type { Bench, EvaluationDetail, Run } from '../api/types'
import { CurveFigure } from '../parts/CurveFigure'
import { Panel } from '../parts/Panel'
import { Remarks } from '../parts/Remarks'
import { RequirementsTable } from '../parts/RequirementsTable'
import { FileProblems, Trouble } from '../parts/Trouble'
import { Value } from '../parts/Value'
import { atWork, show, span, summary } from '../words'
import { nominalRun, usePlace } from '../places/place'

/** The model at a glance: inputs, requirements, the problem in words, and one evaluation of the nominal design. */
export function Overview() {
  const { bench, runs } = usePlace()
  const nominal = nominalRun(bench, runs)
  const point = useEvaluation(nominal && !atWork(nominal) ? nominal.run : undefined, 1)
  return (
    <main style={{ gridTemplateColumns: 'minmax(0, 1fr) minmax(0, 1.35fr)' }}>
      {bench.problems && (
        <Panel title="Mistakes in the files as they are now" aside={`shown is revision ${bench.revision}, the last good one`} style={{ gridColumn: '1 / 3' }}>
          <div className="note mt-0">
            <FileProblems problems={bench.problems} />
          </div>
        </Panel>
      )}
      <NominalHead bench={bench} run={nominal} point={point.data} />
      <div className="d-flex flex-column gap-3" style={{ minWidth: 0 }}>
        <Panel title="The problem in words">
          <Statement text={bench.statement} />
          <Remarks remarks={bench.remarks} />
          <details className="mt-2">
            <summary className="muted">in symbols</summary>
            <pre className="statement-text mt-1">{bench.symbols}</pre>
          </details>
        </Panel>
        <Inputs bench={bench} />
        {point.data?.state === 'ok' &&
          bench.outputs
            .filter((o) => o.kind === 'curve')
            .map((output) => (
              <Panel key={output.name} title={`${output.label ?? output.name} over ${output.x}`} aside="nominal design">
                <CurveFigure output={output} nominal={point.data} requirements={bench.requirements} />
              </Panel>
            ))}
      </div>
      <div className="d-flex flex-column gap-3" style={{ minWidth: 0 }}>
        <Panel title="Requirements" aside="at the nominal design">
          <RequirementsTable requirements={bench.requirements} judged={point.data?.requirements ?? {}} name="nominal" />
        </Panel>
        {point.data && <Outputs bench={bench} point={point.data} />}
      </div>
    </main>
  )
}

/** The problem in words: its items, which are indented, each begin with a name. */
function Statement({ text }: { text: string }) {
  return (
    <div className="statement">
      {text.trimEnd().split('\n').map((line) => {
        const [, name, rest] = /^ {2}(\S+) +(.*)$/.exec(line) ?? []
        return (
          <div key={line} className={name ? 'item' : undefined}>
            {name ? (
              <>
                <b>{name}</b> {rest}
              </>
            ) : (
              line
            )}
          </div>
        )
      })}
    </div>
  )
}

function NominalHead({ bench, run, point }: { bench: Bench; run: Run | undefined; point: EvaluationDetail | undefined }) {
  const start = useStartRun(bench.name)
  const busy = start.isPending || (run !== undefined && atWork(run))
  return (
    <Panel style={{ gridColumn: '1 / 3' }}>
      <div className="d-flex align-items-center gap-4">
        <div className="flex-fill">
          <h1>
            The nominal design <span className="unit">{bench.solver}</span>
          </h1>
          <p className="mb-0 mt-1">
            {!point && !busy && 'It was not evaluated on this revision yet: one evaluation shows whether the model works, and how far each requirement is.'}
            {busy && 'It is being evaluated …'}
            {point?.state === 'ok' && <b>{summary(bench.requirements, point.requirements)}</b>}
            {point?.state === 'ok' && point.seconds > 0 && <span className="muted"> The solver took {span(point.seconds)}.</span>}
            {point && point.state !== 'ok' && (
              <span>
                The evaluation {point.state === 'not tried' ? 'was not tried' : point.state}: {point.reason}
              </span>
            )}
          </p>
          {point?.tail && <pre className="note mb-0">{point.tail}</pre>}
          {start.error && <Trouble error={start.error} />}
        </div>
        <Button disabled={busy} variant={point ? 'outline' : 'primary'} onClick={() => start.mutate({ study: 'try', fresh: point !== undefined })}>
          {point ? 'Evaluate again' : 'Evaluate'}
        </Button>
      </div>
    </Panel>
  )
}

function Inputs({ bench }: { bench: Bench }) {
  return (
    <Panel title="Inputs">
      <div className="scroll">
        <table className="plain">
          <thead>
            <tr>
              <th>input</th>
              <th>nominal</th>
              <th className="left">may move</th>
            </tr>
          </thead>
          <tbody>
            {bench.inputs.map((input) => (
              <tr key={input.name}>
                <td>
                  {input.name} {input.label && <div className="unit">{input.label}</div>}
                </td>
                <td>
                  <Value value={input.nominal} unit={input.unit} />
                </td>
                <td className="left wrap muted">{input.varied || input.scatter || bench.cases?.some((c) => input.name in c.values) ? input.says : 'held'}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Panel>
  )
}

function Outputs({ bench, point }: { bench: Bench; point: EvaluationDetail }) {
  return (
    <Panel title="Outputs" aside="of the nominal design">
      <div className="scroll">
        <table className="plain">
          <thead>
            <tr>
              <th>output</th>
              <th>value</th>
              <th className="left">comes from</th>
            </tr>
          </thead>
          <tbody>
            {bench.outputs.map((output) => (
              <tr key={output.name}>
                <td>
                  {output.name} {output.label && <div className="unit">{output.label}</div>}
                </td>
                <td>
                  {output.kind === 'curve' ? (
                    <span className="muted">{show(point.curves[output.name]?.x.length)} samples</span>
                  ) : (
                    <Value value={point.named?.[output.name]} unit={output.unit} />
                  )}
                </td>
                <td className="left wrap muted">{output.says}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Panel>
  )
}
