import './style.css'
import './matrix.css'
import './side.css'
import './narrow.css'
import type { Project } from 'pachter/internal/review'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { App } from './app.js'
import { Notice } from './parts/notice.js'
import { startRules } from './rules.js'

const root = createRoot(document.getElementById('page') as HTMLElement)

async function start() {
  root.render(<Notice title="Loading">Reading the rules and the records.</Notice>)
  const rules = startRules()
  const response = await fetch('./project.json')
  if (!response.ok) throw new Error(await response.text())
  const about = await rules.open((await response.json()) as Project)
  document.title = `${about.title}: access review`
  root.render(
    <StrictMode>
      <App opened={about} rules={rules} />
    </StrictMode>,
  )
}

start().catch((error: unknown) =>
  root.render(
    <Notice title="The page cannot be loaded" isError>
      {error instanceof Error ? error.message : String(error)}
    </Notice>,
  ),
)
