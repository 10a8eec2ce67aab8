import { createTheme, type MantineColorsTuple } from '@mantine/core'

const leaf: MantineColorsTuple = [
  '#eff6ee',
  '#dcead9',
  '#bcd7b8',
  '#9ac495',
  '#7cb377',
  '#5f9c5d',
  '#4a874c',
  '#3a753f',
  '#2f6535',
  '#1f4a26',
]

/** Leaf green on paper, without other strong colours. */
export const theme = createTheme({
  colors: { leaf },
  primaryColor: 'leaf',
  primaryShade: { light: 8, dark: 7 },
  defaultRadius: 'md',
  fontFamily: 'system-ui, sans-serif',
  headings: { fontWeight: '600', sizes: { h1: { fontSize: '1.6rem' }, h2: { fontSize: '1.15rem' } } },
  components: {
    Badge: { defaultProps: { tt: 'none', fw: 500 } },
    // The header of a dialog is not a page header.
    Modal: { defaultProps: { closeButtonProps: { 'aria-label': 'Close' }, attributes: { header: { role: 'presentation' } } } },
  },
  cursorType: 'pointer',
  respectReducedMotion: true,
})
