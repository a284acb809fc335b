import { useOsTheme, type GlobalThemeOverrides } from 'naive-ui'
import { computed } from 'vue'

/* One set of tokens for the pages, the drawings and the component library. */
export const light = {
  paper: '#efebe1',
  sheet: '#faf8f2',
  field: '#ffffff',
  ink: '#1d2321',
  ink2: '#58615c',
  rule: '#cdc6b5',
  accent: '#b8400f',
  accentInk: '#96340a',
  wash: '#f6e3d6',
  onAccent: '#ffffff',
  pass: '#1c6b5d',
  passWash: '#d9e8e1',
  caution: '#7d4e00',
  cautionWash: '#f5e6c4',
  stop: '#a3221d',
  stopWash: '#f4d8d3',
  metal: '#c6cac6',
  metal2: '#e3e4df',
  filament: '#d98d4a',
}
export type Tokens = typeof light
export const dark: Tokens = {
  paper: '#1b1e1c',
  sheet: '#242826',
  field: '#151716',
  ink: '#ece8dd',
  ink2: '#b0b6af',
  rule: '#4a504c',
  accent: '#f08a55',
  accentInk: '#f6a77c',
  wash: '#45291b',
  onAccent: '#1b1e1c',
  pass: '#7fc9b6',
  passWash: '#1f3b34',
  caution: '#e6b85c',
  cautionWash: '#3d3116',
  stop: '#f19a90',
  stopWash: '#4a2320',
  metal: '#6a716c',
  metal2: '#4a504c',
  filament: '#d98d4a',
}
const text = "'Atkinson Hyperlegible Next Variable', sans-serif"
export const mono = "'Atkinson Hyperlegible Mono Variable', monospace"

/** The tokens in force: light or dark, as the machine is set. */
export function useTokens() {
  const os = useOsTheme()
  return computed(() => (os.value === 'dark' ? dark : light))
}

export function applyTokens(tokens: Tokens) {
  const style = document.documentElement.style
  for (const [name, value] of Object.entries(tokens)) style.setProperty(`--${name}`, value)
  style.setProperty('--text', text)
  style.setProperty('--mono', mono)
}

/** A button's variable in each of its states, e.g. `textColorHoverPrimary`. */
const everyState = (name: string, type: string, value: string) =>
  Object.fromEntries(['', 'Hover', 'Pressed', 'Focus'].map((state) => [name + state + type, value]))

export function overrides(t: Tokens): GlobalThemeOverrides {
  return {
    common: {
      fontFamily: text,
      fontFamilyMono: mono,
      fontSize: '16px',
      fontSizeMedium: '16px',
      borderRadius: '2px',
      primaryColor: t.accent,
      primaryColorHover: t.accent,
      primaryColorPressed: t.accent,
      textColorBase: t.ink,
      textColor1: t.ink,
      textColor2: t.ink,
      textColor3: t.ink2,
      placeholderColor: t.ink2,
      bodyColor: t.paper,
      cardColor: t.sheet,
      modalColor: t.sheet,
      inputColor: t.field,
      borderColor: t.ink2,
      dividerColor: t.rule,
      heightMedium: '44px',
    },
    Button: {
      heightMedium: '44px',
      fontSizeMedium: '16px',
      paddingMedium: '0 18px',
      ...everyState('textColor', '', t.ink),
      border: `1px solid ${t.ink2}`,
      borderHover: `1px solid ${t.ink}`,
      borderPressed: `1px solid ${t.ink}`,
      borderFocus: `1px solid ${t.ink}`,
      ...everyState('textColor', 'Primary', t.onAccent),
      ...everyState('textColorGhost', 'Primary', t.accentInk),
      textColorDisabledPrimary: t.ink2,
      colorError: t.stop,
      ...everyState('textColorGhost', 'Error', t.stop),
      ...everyState('border', 'Error', `1px solid ${t.stop}`),
      // What can't be pressed just now is still read.
      opacityDisabled: '1',
      textColorDisabled: t.ink2,
      borderDisabled: `1px dashed ${t.ink2}`,
      colorDisabledPrimary: '#0000',
      textColorGhostDisabledPrimary: t.ink2,
      borderDisabledPrimary: `1px dashed ${t.ink2}`,
      fontWeightStrong: '700',
    },
    InternalSelection: { textColorDisabled: t.ink2, colorDisabled: t.paper, border: `1px solid ${t.ink2}` },
    Message: {
      color: t.sheet,
      textColor: t.ink,
      colorInfo: t.sheet,
      textColorInfo: t.ink,
      iconColorInfo: t.ink2,
      iconColorWarning: t.caution,
      iconColorError: t.stop,
      border: `1px solid ${t.ink}`,
    },
    Checkbox: { sizeMedium: '20px', fontSizeMedium: '16px' },
    Input: { border: `1px solid ${t.ink2}`, color: t.field, colorFocus: t.field },
    Radio: {
      buttonColor: t.field,
      buttonColorActive: t.ink,
      buttonTextColorActive: t.paper,
      buttonBorderColor: t.ink2,
      buttonBorderColorActive: t.ink,
      fontSizeLarge: '16px',
      buttonHeightLarge: '44px',
    },
    Progress: { fillColor: t.ink, railColor: t.rule, textColorLineOuter: t.ink },
    Table: { thColor: t.sheet, tdColor: t.sheet, borderColor: t.rule, thTextColor: t.ink2 },
  }
}
