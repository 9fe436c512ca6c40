// The last face of a family is fetched for the measures of a line, whatever is in it.
import '@fontsource/atkinson-hyperlegible-next/latin-ext-400.css'
import '@fontsource/atkinson-hyperlegible-mono/latin-400.css'
import '@fontsource/atkinson-hyperlegible-next/latin-500.css'
import '@fontsource/atkinson-hyperlegible-next/latin-700.css'
import '@fontsource/atkinson-hyperlegible-next/latin-400.css'
import 'vuetify/styles'
import './style.css'

import { FORGETFUL, FRAMED, isFramed, replaceStorage, WITHOUT_COOKIES } from './shared/storage'

const forgetful = replaceStorage()

function sayFramed() {
  const link = document.createElement('a')
  Object.assign(link, { href: location.href, target: '_blank', rel: 'noopener', textContent: location.href })
  document.getElementById('app')!.append(`${FRAMED} `, link)
}

/** Loaded late, since its modules read what the browser has kept. */
async function start() {
  const { mount } = await import('./mount')
  const messages = mount()
  if (!navigator.cookieEnabled) messages.warn(WITHOUT_COOKIES)
  else if (forgetful) messages.warn(FORGETFUL)
}

if (isFramed()) sayFramed()
else void start()
