/** Vuetify's own colours, from the same tokens as style.css; its components carry behaviour, not the look. */
import { createVuetify } from 'vuetify'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'

const shared = { 'border-radius-root': '3px' }

export const DAY = 'chart'
export const NIGHT = 'night'
const KEY = 'sarvex-theme'

export function storedTheme(): string {
  const stored = localStorage.getItem(KEY)
  if (stored === DAY || stored === NIGHT) return stored
  return matchMedia('(prefers-color-scheme: dark)').matches ? NIGHT : DAY
}

export function storeTheme(name: string): void {
  localStorage.setItem(KEY, name)
}

const nonce = document.querySelector<HTMLMetaElement>('meta[property=csp-nonce]')?.nonce

export const vuetify = createVuetify({
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  theme: {
    cspNonce: nonce,
    defaultTheme: storedTheme(),
    themes: {
      [DAY]: {
        dark: false,
        colors: {
          background: '#F6F3EA',
          surface: '#FCFAF4',
          primary: '#15242E',
          secondary: '#2F6478',
          error: '#9B2C1C',
          warning: '#8A6400',
          'on-background': '#15242E',
          'on-surface': '#15242E',
        },
        variables: { ...shared, 'high-emphasis-opacity': 1, 'medium-emphasis-opacity': 0.78 },
      },
      [NIGHT]: {
        dark: true,
        colors: {
          background: '#101B23',
          surface: '#15242E',
          primary: '#F1ECDF',
          secondary: '#8BBCCB',
          error: '#F29583',
          warning: '#E3BB55',
          'on-background': '#F1ECDF',
          'on-surface': '#F1ECDF',
          'on-primary': '#15242E',
        },
        variables: { ...shared, 'high-emphasis-opacity': 1, 'medium-emphasis-opacity': 0.8 },
      },
    },
  },
  defaults: {
    global: { ripple: false },
    VBtn: { variant: 'flat', rounded: 'sm', height: 32 },
    VTextField: { variant: 'outlined', density: 'compact', hideDetails: 'auto', color: 'secondary' },
    VTextarea: { variant: 'outlined', density: 'compact', hideDetails: 'auto', color: 'secondary' },
    VSelect: {
      variant: 'outlined',
      density: 'compact',
      hideDetails: 'auto',
      color: 'secondary',
      transition: false,
    },
    VAutocomplete: {
      variant: 'outlined',
      density: 'compact',
      hideDetails: 'auto',
      color: 'secondary',
      transition: false,
    },
    VCombobox: {
      variant: 'outlined',
      density: 'compact',
      hideDetails: 'auto',
      color: 'secondary',
      transition: false,
    },
    VMenu: { transition: false },
  },
})
