import { defineVuetifyConfiguration } from 'vuetify-nuxt-module/custom-configuration';

export default defineVuetifyConfiguration({
  icons: { defaultSet: 'mdi-svg' },
  theme: {
    defaultTheme: 'paper',
    themes: {
      paper: {
        dark: false,
        colors: {
          background: '#F5F0E4',
          surface: '#FCFAF4',
          primary: '#B2552B',
          secondary: '#1D2B33',
          error: '#C2272D',
          info: '#23606E',
          success: '#4F6F4A',
          warning: '#B2552B',
          'on-background': '#1D2B33',
          'on-surface': '#1D2B33',
          'on-primary': '#FCFAF4',
          'on-secondary': '#FCFAF4',
          'on-error': '#FCFAF4',
        },
      },
    },
  },
  defaults: {
    VBtn: { variant: 'outlined', rounded: 'lg', ripple: false, elevation: 0 },
    VCard: { variant: 'flat', rounded: 'lg' },
    VTextField: { variant: 'outlined', density: 'compact', hideDetails: 'auto' },
    VSelect: { variant: 'outlined', density: 'compact', hideDetails: 'auto' },
    VSlider: { color: 'primary', trackSize: 3, thumbSize: 14, hideDetails: true },
    VMenu: { transition: false },
    VDialog: { transition: false },
    VTooltip: { transition: false, openDelay: 500 },
  },
});
