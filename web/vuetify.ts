/** Vuetify with the tokens of the instrument bench: two themes, one accent, no shadows. */
import { createVuetify } from 'vuetify';
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg';

const accent = { primary: '#0B7A75', warning: '#C2410C', error: '#C2410C' };

export const vuetify = createVuetify({
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  theme: {
    defaultTheme: 'light',
    themes: {
      light: { dark: false, colors: { ...accent, background: '#F4F4F4', surface: '#FFFFFF', 'on-surface': '#161616' } },
      dim: {
        dark: true,
        colors: {
          ...accent,
          primary: '#5CC4BC',
          warning: '#F2936B',
          error: '#F2936B',
          background: '#2A2A2A',
          surface: '#343434',
          'on-surface': '#EDEDED',
        },
      },
    },
  },
  defaults: {
    VBtn: { variant: 'outlined', density: 'compact', rounded: 4, ripple: false },
    VDialog: { transition: false },
    VMenu: { transition: false },
    VCard: { elevation: 0, rounded: 4 },
  },
});
