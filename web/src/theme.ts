import { definePreset } from '@primeuix/themes'
import Aura from '@primeuix/themes/aura'

/** Our own preset: paper and ink, one strong colour for where you are, small radii, dense rows. */
export const preset = definePreset(Aura, {
  primitive: { borderRadius: { none: '0', xs: '2px', sm: '2px', md: '3px', lg: '4px', xl: '5px' } },
  semantic: {
    primary: {
      50: '#eef5f6',
      100: '#d5e6e9',
      200: '#adcdd4',
      300: '#7fafba',
      400: '#4c8b9a',
      500: '#216b7d',
      600: '#175a6c',
      700: '#12475a',
      800: '#0e3847',
      900: '#0a2935',
      950: '#061a22',
    },
    focusRing: { width: '2px', style: 'solid', color: '{primary.500}', offset: '1px' },
    formField: { paddingX: '0.55rem', paddingY: '0.3rem' },
    colorScheme: {
      light: {
        surface: {
          0: '#fdfcf9',
          50: '#f6f3ec',
          100: '#ece8de',
          200: '#ddd7c9',
          300: '#c6beac',
          400: '#8b8778',
          500: '#6a6a63',
          600: '#51565a',
          700: '#3a4249',
          800: '#262e36',
          900: '#1a222a',
          950: '#10161c',
        },
        primary: {
          color: '{primary.700}',
          hoverColor: '{primary.800}',
          activeColor: '{primary.900}',
          contrastColor: '#ffffff',
        },
        highlight: { background: '#e1ecec', focusBackground: '#d2e3e4', color: '#10303a', focusColor: '#10303a' },
      },
      dark: {
        surface: {
          0: '#f2efe7',
          50: '#e4e3dd',
          100: '#cdd0cf',
          200: '#b3b9bb',
          300: '#929b9f',
          400: '#78838a',
          500: '#56626a',
          600: '#3b4850',
          700: '#2b363d',
          800: '#1e272d',
          900: '#161d22',
          950: '#101519',
        },
        primary: {
          color: '{primary.300}',
          hoverColor: '{primary.200}',
          activeColor: '{primary.100}',
          contrastColor: '#06181f',
        },
        highlight: { background: '#1f3a42', focusBackground: '#274852', color: '#e4f0f2', focusColor: '#e4f0f2' },
      },
    },
  },
  components: {
    button: { root: { paddingX: '0.7rem', paddingY: '0.3rem' } },
  },
})
