// The live page of the documentation: a rulebook, records and people to edit, with the access matrix and why. All of it runs here.
import type { AccessMatrix } from 'pachter/review'
import { StrictMode, useEffect, useState } from 'react'
import { createRoot } from 'react-dom/client'
import { type Evaluated, evaluate, type Typed } from './evaluate.js'
import { PEOPLE, RECORDS, RULES } from './example.js'
import './style.css'

const WAIT_MS = 250

interface Cell {
  readonly type: string
  readonly person: string
  readonly key: string
  readonly action: string
}

function Page() {
  const [typed, setTyped] = useState<Typed>({ rules: RULES, records: RECORDS, people: PEOPLE })
  const [done, setDone] = useState<Evaluated>()
  const [problem, setProblem] = useState<string>()
  const [cell, setCell] = useState<Cell>()
  useEffect(() => {
    const timer = setTimeout(() => {
      try {
        setDone(evaluate(typed))
        setProblem(undefined)
      } catch (error) {
        setProblem(error instanceof Error ? error.message : String(error))
      }
    }, WAIT_MS)
    return () => clearTimeout(timer)
  }, [typed])
  const editor = (name: keyof Typed, label: string, rows: number) => (
    <label>
      {label}
      <textarea
        rows={rows}
        spellCheck={false}
        value={typed[name]}
        onChange={(event) => setTyped({ ...typed, [name]: event.currentTarget.value })}
      />
    </label>
  )
  return (
    <>
      <header>
        <h1>Try Pachter</h1>
        <p>
          Edit the rules, records or people. The access matrix follows. Everything runs in this page. <a href="../index.html">Documentation</a>
        </p>
      </header>
      <main>
        <section aria-label="Editors" className="editors">
          {editor('rules', 'Rules', 34)}
          {editor('records', 'Records', 9)}
          {editor('people', 'People', 6)}
        </section>
        <section aria-label="Results" className={problem === undefined ? '' : 'stale'}>
          {problem !== undefined && <p role="alert">{problem}</p>}
          {done?.warnings.map((warning) => (
            <p key={warning} className="warning">
              Warning: {warning}
            </p>
          ))}
          {done?.matrices.map((matrix) => (
            <Matrix key={matrix.type} matrix={matrix} cell={cell} choose={setCell} />
          ))}
          {done && <Why done={done} cell={cell} choose={setCell} />}
        </section>
      </main>
    </>
  )
}

interface MatrixProps {
  readonly matrix: AccessMatrix
  readonly cell: Cell | undefined
  readonly choose: (cell: Cell) => void
}

function Matrix({ matrix, cell, choose }: MatrixProps) {
  const { type, people, keys, actions } = matrix
  const asked = actions.filter((action) => action !== 'create')
  return (
    <table>
      <caption>{type}</caption>
      <thead>
        <tr>
          <th scope="col">key</th>
          {people.map((person) => (
            <th key={person} scope="col">
              {person}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {keys.map((key) => (
          <tr key={String(key)}>
            <th scope="row">{String(key)}</th>
            {people.map((person) => {
              const may = asked.filter((action) => matrix.allows(person, key, action))
              const said = may.map((action) => (action === 'read' && matrix.isPartial(person, key) ? 'read some fields' : action)).join(', ')
              const isChosen = cell?.type === type && cell.person === person && cell.key === String(key)
              return (
                <td key={person} className={may.length > 0 ? 'yes' : ''}>
                  <button
                    type="button"
                    aria-pressed={isChosen}
                    aria-label={`${person}, ${type} ${String(key)}: ${said || 'nothing is allowed'}`}
                    onClick={() => choose({ type, person, key: String(key), action: 'read' })}
                  >
                    {said || '·'}
                  </button>
                </td>
              )
            })}
          </tr>
        ))}
      </tbody>
    </table>
  )
}

function Why({ done, cell, choose }: { readonly done: Evaluated; readonly cell: Cell | undefined; readonly choose: (cell: Cell) => void }) {
  const matrix = done.matrices.find(({ type }) => type === cell?.type)
  const isThere = matrix?.keys.some((key) => String(key) === cell?.key) && matrix.people.includes(cell?.person ?? '')
  if (cell === undefined || matrix === undefined || !isThere) return <p className="faint">Choose a cell to see why.</p>
  const [verdict, ...lines] = done.why(cell.type, cell.person, cell.key, cell.action)
  return (
    <section aria-label="Why" aria-live="polite">
      <p className="actions">
        {matrix.actions
          .filter((action) => action !== 'create')
          .map((action) => (
            <button key={action} type="button" aria-pressed={action === cell.action} onClick={() => choose({ ...cell, action })}>
              {action}
            </button>
          ))}
      </p>
      <h2>{verdict}</h2>
      <ul>
        {lines.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ul>
    </section>
  )
}

createRoot(document.getElementById('page') as HTMLElement).render(
  <StrictMode>
    <Page />
  </StrictMode>,
)
