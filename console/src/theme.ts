import { createVuetify } from 'vuetify'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'

// Paper and ink by day, slate and chalk by night. Every text colour has a
// contrast of at least 4.5 to 1 on the surfaces that it stands on (WCAG 2.2 AA).
export const vuetify = createVuetify({
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  theme: {
    defaultTheme: 'system',
    themes: {
      light: {
        dark: false,
        colors: {
          background: '#f7f4ec',
          surface: '#fffdf8',
          'surface-variant': '#e9e4d6',
          'on-surface-variant': '#33403e',
          primary: '#1d4f4c',
          secondary: '#6b4a10',
          error: '#992b22',
          success: '#1d5b2c',
          warning: '#7a4a00',
          info: '#1f4e79',
          'on-background': '#1f2a29',
          'on-surface': '#1f2a29',
        },
      },
      dark: {
        dark: true,
        colors: {
          background: '#141918',
          surface: '#1b2221',
          'surface-variant': '#2c3634',
          'on-surface-variant': '#d5dcd8',
          primary: '#8fcfc7',
          secondary: '#e3b868',
          error: '#ff9c8f',
          success: '#8ed39c',
          warning: '#f0b968',
          info: '#8fbfe8',
          'on-primary': '#0d2422',
          'on-background': '#e8ece9',
          'on-surface': '#e8ece9',
        },
      },
    },
  },
  defaults: {
    global: { ripple: false },
    VBtn: { variant: 'flat', rounded: 'md' },
    VCard: { variant: 'outlined', rounded: 'lg' },
    VTextField: { variant: 'outlined', density: 'comfortable', color: 'primary' },
    VSelect: { variant: 'outlined', density: 'comfortable', color: 'primary' },
    VTextarea: { variant: 'outlined', color: 'primary' },
    VTable: { density: 'compact' },
    VChip: { size: 'small', variant: 'tonal', rounded: 'md' },
  },
})
