// Ewerer's colours for plots, read from the one place where the themes stand.
export type Tone =
  'ink' | 'soft' | 'rule' | 'faint' | 'sheet' | 'raised' | 'copper' | 'sun' | 'bank' | 'mains' | 'gen' | 'load' | 'stop'

/** The colours of a theme by name; `theme` only says which one is on, so that they are read anew when it changes. */
export function colours(theme: string): (name: Tone) => string {
  const held = getComputedStyle(document.documentElement)
  return (name) => held.getPropertyValue(`--${name}`).trim() || (theme === 'sun' ? '#000' : '#fff')
}
