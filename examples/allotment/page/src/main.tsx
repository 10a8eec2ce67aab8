import '@mantine/core/styles.css'
import '@mantine/notifications/styles.css'
import './style.css'
import { MantineProvider } from '@mantine/core'
import { Notifications } from '@mantine/notifications'
import { createRoot } from 'react-dom/client'
import { ApiProvider } from './api.js'
import { App } from './app.js'
import { SessionProvider } from './session.js'
import { theme } from './theme.js'

const nonce = document.querySelector<HTMLMetaElement>('meta[name=style-nonce]')?.content ?? ''

// Locking the page's scrolling behind a dialog needs this element.
Object.assign(globalThis, { __webpack_nonce__: nonce })

createRoot(document.getElementById('page') as HTMLElement).render(
  <MantineProvider theme={theme} defaultColorScheme="auto" getStyleNonce={() => nonce}>
    <Notifications position="bottom-left" />
    <SessionProvider>
      <ApiProvider>
        <App />
      </ApiProvider>
    </SessionProvider>
  </MantineProvider>,
)
