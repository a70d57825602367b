import { defineVuetifyConfiguration } from 'vuetify-nuxt-module/custom-configuration';
import { FACES, type Token } from './app/drawing/faces';

const coloursOf = (face: Readonly<Record<Token, string>>) => ({
  background: face.paper,
  surface: face.sheet,
  primary: face.copper,
  secondary: face.ink,
  error: face.live,
  info: face.sea,
  success: face.moss,
  warning: face.copper,
  'on-background': face.ink,
  'on-surface': face.ink,
  'on-primary': face.sheet,
  'on-secondary': face.sheet,
  'on-error': face.sheet,
});

export default defineVuetifyConfiguration({
  icons: { defaultSet: 'mdi-svg' },
  theme: {
    defaultTheme: 'day',
    themes: {
      day: { dark: false, colors: coloursOf(FACES.day) },
      night: { dark: true, colors: coloursOf(FACES.night) },
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
