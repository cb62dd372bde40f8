import { useEffect } from 'react'
import { Button, Modal } from 'react-bootstrap'
import { useAdopt } from '../api/files'
import { useStartRun } from '../api/queries'
import type { Bench } from '../api/types'
import { Trouble } from '../parts/Trouble'

type Props = { bench: Bench; of: { run: number; evaluation: number }; onClose: () => void }

/** Shows what it changes in the bench file to make a design the nominal one, and changes it when told so. */
export function Adopt({ bench, of, onClose }: Props) {
  const { data: would, error: mistake, mutate: ask } = useAdopt(bench.name)
  const adopt = useAdopt(bench.name)
  const evaluate = useStartRun(bench.name)
  const { run, evaluation } = of
  useEffect(() => ask({ run, evaluation }), [ask, run, evaluation])
  const write = () => adopt.mutate({ run, evaluation, write: true }, { onSuccess: () => evaluate.mutate({ study: 'try', fresh: true }) })
  const done = adopt.data?.written ? adopt.data : undefined
  return (
    <Modal show onHide={onClose} aria-labelledby="adopt">
      <Modal.Header closeButton>
        <Modal.Title id="adopt" as="h1">
          Make evaluation {evaluation} the nominal design
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {would && would.changes.length === 0 && <p className="empty mb-0">It is the nominal design already.</p>}
        {would && would.changes.length > 0 && (
          <>
            <p>{done ? `${bench.file} is changed, and is revision ${done.revision}; the nominal design is evaluated anew:` : `This changes ${bench.file}; comments and layout stay:`}</p>
            <ul>
              {would.changes.map((change) => (
                <li key={change}>{change}</li>
              ))}
            </ul>
          </>
        )}
        {[mistake, adopt.error, evaluate.error].map((error) => error && <Trouble key={error.message} error={error} />)}
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline" onClick={onClose}>
          {done ? 'Close' : 'Cancel'}
        </Button>
        {!done && (
          <Button onClick={write} disabled={!would || would.changes.length === 0 || adopt.isPending}>
            Write into the bench file
          </Button>
        )}
      </Modal.Footer>
    </Modal>
  )
}
