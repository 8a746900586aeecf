// Geometry of the cable card. Pure, so that it can be tested without a browser.
import type { Cable } from '../../api/client'

export const CONDUCTOR: Record<string, string> = { orange: '#c9611a', green: '#2e7d46', blue: '#2b5fa8', brown: '#7a4f36' }
export const solidOf = (colour: string): string => colour.replace('white/', '')
export const striped = (colour: string): boolean => colour.startsWith('white/')

export interface Pin {
  end: 'bms' | 'unit'
  pin: number
  y: number
  word: string
  barred: boolean
}
export interface Drawn {
  pins: Pin[]
  wires: { key: string; colour: string; signal: string; path: string; y: number }[]
  height: number
}

export function drawCable(cable: Cable, size: { left: number; right: number; top: number; step: number }): Drawn {
  const y = (pin: number) => size.top + (pin - 0.5) * size.step
  const pins = (['bms', 'unit'] as const).flatMap((end) =>
    Array.from({ length: 8 }, (_, i) => {
      const pin = i + 1
      const wire = cable.wires.find((w) => (end === 'bms' ? w.from : w.to) === pin)
      const open = cable.open_pins.find((o) => o.end === end && o.pin === pin)
      const word = open ? `${open.signal}, leave open` : (wire?.signal ?? '')
      return { end, pin, y: y(pin), word, barred: !!open }
    }),
  )
  const bend = (size.right - size.left) * 0.4
  const wires = cable.wires.map((w) => ({
    key: `${w.from}-${w.to}`,
    colour: w.colour,
    signal: w.signal,
    y: y(w.from),
    path: `M${size.left + 13} ${y(w.from)}C${size.left + bend} ${y(w.from)} ${size.right - bend} ${y(w.to)} ${size.right - 13} ${y(w.to)}`,
  }))
  return { pins, wires, height: size.top + 8 * size.step + 8 }
}

/** Switches as letters, with one of them flipped. */
export const flipped = (letters: string, at: number): string =>
  letters
    .split('')
    .map((c, i) => (i === at ? (c === 'u' ? 'd' : 'u') : c))
    .join('')
export const lettersOf = (up: boolean[]): string => up.map((u) => (u ? 'u' : 'd')).join('')
