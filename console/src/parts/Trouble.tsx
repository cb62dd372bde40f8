import { Answer } from '../api/request'
import type { Problem } from '../api/types'

/** Says what went wrong; mistakes in files stand on lines of their own. */
export function Trouble({ error }: { error: Error }) {
  const problems = error instanceof Answer ? error.problem.problems : undefined
  return (
    <div className="note" role="alert">
      {problems ? <FileProblems problems={problems} /> : error.message}
    </div>
  )
}

export function FileProblems({ problems }: { problems: NonNullable<Problem['problems']> }) {
  return (
    <>
      {problems.map((p) => (
        <div key={`${p.file}:${p.line}:${p.message}`}>
          <b>
            {p.file}, line {p.line}
          </b>
          : {p.message}
        </div>
      ))}
    </>
  )
}
