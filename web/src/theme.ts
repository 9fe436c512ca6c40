import { createVuetify } from 'vuetify'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'

/** Paper and ink. Sides are sienna (left) and teal (right); plum is the one thing to do next. */
const paper = {
  dark: false,
  colors: {
    background: '#F6F2E9',
    surface: '#FFFDF8',
    'surface-variant': '#EFE9DB',
    'on-surface-variant': '#1F2A37',
    primary: '#6B2D5C',
    secondary: '#1F2A37',
    left: '#A8501F',
    right: '#1E6F78',
    error: '#8E2A1E',
    'on-background': '#1F2A37',
    'on-surface': '#1F2A37',
    hairline: '#D9D1C1',
    quiet: '#5F6368',
  },
}
const night = {
  dark: true,
  colors: {
    background: '#1B1F26',
    surface: '#232932',
    'surface-variant': '#2D343F',
    'on-surface-variant': '#EDE6D6',
    primary: '#D79BC6',
    secondary: '#EDE6D6',
    left: '#E39A6A',
    right: '#6FC0C8',
    error: '#F0A193',
    'on-background': '#EDE6D6',
    'on-surface': '#EDE6D6',
    hairline: '#434B57',
    quiet: '#A9ADB3',
  },
}

const PLACE = 'armuto.theme'
const dark = matchMedia('(prefers-color-scheme: dark)')
const ofSystem = () => (dark.matches ? 'night' : 'paper')

export const vuetify = createVuetify({
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  theme: { defaultTheme: chosenTheme() ?? ofSystem(), themes: { paper, night } },
  defaults: {
    VBtn: { variant: 'outlined', density: 'comfortable', ripple: false, elevation: 0 },
    VTextField: { variant: 'outlined', density: 'compact', hideDetails: true },
    VAutocomplete: { variant: 'outlined', density: 'compact', hideDetails: true },
    VDialog: { transition: 'fade-transition' },
    VMenu: { transition: 'fade-transition' },
  },
})

dark.addEventListener('change', () => localStorage.getItem(PLACE) || vuetify.theme.change(ofSystem()))

/** What was chosen in this browser; null for as the system has it. */
export function chosenTheme(): 'paper' | 'night' | null {
  const name = localStorage.getItem(PLACE)
  return name === 'night' || name === 'paper' ? name : null
}
/** Day or night, kept for this browser; null for as the system has it, also when that changes. */
export function chooseTheme(name: 'paper' | 'night' | null) {
  if (name) localStorage.setItem(PLACE, name)
  else localStorage.removeItem(PLACE)
  vuetify.theme.change(name ?? ofSystem())
}
