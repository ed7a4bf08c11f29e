/** The two themes, for Vuetify and for the picture. */
export const themes = {
  light: {
    dark: false,
    colors: {
      background: '#F5F2EA',
      surface: '#FBFAF5',
      primary: '#1D5C50',
      secondary: '#8B2C6A',
      error: '#C0391B',
      warning: '#9A6210',
      success: '#136A72',
      'on-background': '#20292E',
      'on-surface': '#20292E',
      // Icons of roles.
      robot: '#446A89',
      tool: '#7F5E10',
      fixture: '#4C6B3B',
      part: '#96502E',
      frame: '#2F62B5',
    },
  },
  dark: {
    dark: true,
    colors: {
      background: '#171C1E',
      surface: '#1E2427',
      primary: '#7CC4B3',
      secondary: '#E08AC0',
      error: '#F08A70',
      warning: '#E3B15C',
      success: '#6CC3CB',
      'on-background': '#E8E4DA',
      'on-surface': '#E8E4DA',
      robot: '#92B7D3',
      tool: '#DDB964',
      fixture: '#A6C294',
      part: '#E0A27F',
      frame: '#8FB2F0',
    },
  },
}

/** What lights the picture. */
export const lights = { sun: '#fff6e6', sky: '#ffffff', floor: '#cfc6b4', fill: '#dfe9f5' }

/** Of writing on a picture. */
export function captionColours(dark: boolean) {
  const { surface, 'on-surface': text } = themes[dark ? 'dark' : 'light'].colors
  return { background: `${surface}E0`, text }
}

export interface Palette {
  paper: string
  ink: string
  selection: string
  grid: string
  gridCoarse: string
  accent: string
  broken: string
  /** X red, Y green, Z blue (common practice). */
  axes: [string, string, string]
  roles: Record<string, string>
}

/** Colours of the picture. Tints by role are quiet, so that selection and findings stand out. */
export const palettes: Record<'light' | 'dark', Palette> = {
  light: {
    paper: '#F5F2EA',
    ink: '#20292E',
    selection: '#8B2C6A',
    grid: '#E3DED1',
    gridCoarse: '#CFC8B6',
    accent: '#1D5C50',
    broken: '#C0391B',
    axes: ['#C0392B', '#2F7D32', '#2F62B5'],
    roles: {
      robot: '#7D9DB5',
      tool: '#C8A04A',
      fixture: '#93AD83',
      part: '#CB8463',
      structure: '#BDB5A2',
      frame: '#888888',
      group: '#BDB5A2',
    },
  },
  dark: {
    paper: '#171C1E',
    ink: '#0B0E0F',
    selection: '#E08AC0',
    grid: '#232A2D',
    gridCoarse: '#354044',
    accent: '#7CC4B3',
    broken: '#F08A70',
    axes: ['#E0705F', '#6CB36F', '#7BA3EA'],
    roles: {
      robot: '#7D9DB5',
      tool: '#C8A04A',
      fixture: '#86A376',
      part: '#C07F60',
      structure: '#8F8A7C',
      frame: '#888888',
      group: '#8F8A7C',
    },
  },
}
