import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { App } from './app/app.tsx'
import { startI18n } from './app/i18n.ts'
import { startTheme } from './app/theme.ts'
import './theme/theme.css'

startTheme()
await startI18n()
const root = document.getElementById('root')
if (!root) throw new Error('index.html has no #root')
createRoot(root).render(
  <StrictMode>
    <App />
  </StrictMode>,
)
