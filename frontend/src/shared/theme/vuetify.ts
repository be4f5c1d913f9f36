import { createVuetify, type ThemeDefinition } from 'vuetify'
import { themeName } from '@/shared/preferences'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'

// A planning table in daylight: warm paper, ink, one accent, one warning, ochre between them.
const paper: ThemeDefinition = {
  dark: false,
  colors: {
    background: '#f5efe3',
    surface: '#fbf8f1',
    'surface-variant': '#e6dcc8',
    'on-background': '#23282f',
    'on-surface': '#23282f',
    'on-surface-variant': '#23282f',
    primary: '#1b6a74',
    'on-primary': '#ffffff',
    secondary: '#5d564a',
    warning: '#735208',
    error: '#a1432a',
    info: '#1b6a74',
    success: '#1b6a74',
  },
  variables: {
    'border-color': '#23282f',
    'border-opacity': 0.18,
    'high-emphasis-opacity': 1,
    'medium-emphasis-opacity': 0.86,
  },
}

const lamplight: ThemeDefinition = {
  dark: true,
  colors: {
    background: '#1d2025',
    surface: '#25292f',
    'surface-variant': '#3a3f46',
    'on-background': '#ece5d6',
    'on-surface': '#ece5d6',
    'on-surface-variant': '#ece5d6',
    primary: '#7cc3cb',
    'on-primary': '#10262a',
    secondary: '#c0b6a2',
    warning: '#dcb257',
    error: '#ea9a80',
    info: '#7cc3cb',
    success: '#7cc3cb',
  },
  variables: {
    'border-color': '#ece5d6',
    'border-opacity': 0.2,
    'high-emphasis-opacity': 1,
    'medium-emphasis-opacity': 0.86,
  },
}

const nonce = document.querySelector<HTMLMetaElement>('meta[property="csp-nonce"]')?.nonce

export const vuetify = createVuetify({
  theme: {
    defaultTheme: themeName(),
    themes: { paper, lamplight },
    cspNonce: nonce,
  },
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  defaults: {
    VBtn: { variant: 'flat', rounded: 'sm', class: 'fleet-button' },
    VTextField: { variant: 'outlined', density: 'compact', color: 'primary' },
    VAutocomplete: { variant: 'outlined', density: 'compact', color: 'primary' },
    VSelect: { variant: 'outlined', density: 'compact', color: 'primary' },
    VCheckbox: { density: 'compact', color: 'primary', hideDetails: true },
    VRadioGroup: { density: 'compact', hideDetails: true },
    VAlert: { variant: 'tonal', density: 'compact', rounded: 'sm' },
    VProgressLinear: { color: 'primary', height: 3 },
  },
})
