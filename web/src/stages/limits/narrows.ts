// Geometry of the narrows: a channel whose width is amps. Pure, so that it can be tested without a browser.
import type { Chain } from '../../api/client'
import { amps } from '../../ui/figures'

export interface Reach {
  cap: string
  x: number
  width: number
  half: number
  dashedHalf: number | null
  narrowest: boolean
}
export interface Narrows {
  reaches: Reach[]
  lanes: { unit: string; a: number; kind: string; y: number; height: number }[]
  /** Where the lanes stand too close, equal ones that follow each other share a label. */
  labels: { text: string; y: number }[]
  outline: string
  middle: number
  perAmp: number
  end: number
}
export interface Size {
  width: number
  height: number
  lanes: number
}

export function layNarrows(chain: Chain, size: Size): Narrows {
  const widest = Math.max(1, ...chain.caps.map((c) => c.a))
  const middle = size.height / 2
  const perAmp = size.height / widest
  const step = (size.width - size.lanes) / Math.max(1, chain.caps.length)
  const reaches = chain.caps.map((c, i) => ({
    cap: c.cap,
    x: i * step,
    width: step,
    half: Math.max(1.5, (c.a * perAmp) / 2),
    dashedHalf: c.without_one_a === null || c.without_one_a === undefined ? null : (c.without_one_a * perAmp) / 2,
    narrowest: c.cap === chain.binding,
  }))
  const end = size.width - size.lanes
  const bend = Math.min(14, step / 4)
  const side = (sign: number) =>
    reaches.flatMap((r, i) => {
      const before = reaches[i - 1]
      const y = middle + sign * r.half
      const first = i === 0 ? `${r.x} ${y}` : `${r.x + (before && before.half !== r.half ? bend : 0)} ${y}`
      const last = i === reaches.length - 1 ? end : r.x + r.width - (reaches[i + 1]?.half !== r.half ? bend : 0)
      return [first, `${last} ${y}`]
    })
  const outline = reaches.length ? `M${side(-1).join('L')}L${side(1).reverse().join('L')}Z` : ''
  const total = chain.units.reduce((sum, u) => sum + u.a, 0)
  const gap = 4
  const spare = Math.max(0, chain.units.length - 1) * gap
  const room = Math.max(24 * chain.units.length + spare, total * perAmp + spare)
  let y = middle - Math.min(room, size.height) / 2
  const scale = total > 0 ? (Math.min(room, size.height) - spare) / total : 0
  const lanes = chain.units.map((u) => {
    const lane = { unit: u.unit, a: u.a, kind: u.kind, y, height: u.a * scale }
    y += lane.height + gap
    return lane
  })
  return { reaches, lanes, labels: labelLanes(lanes), outline, middle, perAmp, end }
}

const LABEL = 16
function labelLanes(lanes: Narrows['lanes']): Narrows['labels'] {
  const centre = (l: Narrows['lanes'][number]) => l.y + l.height / 2
  const close = lanes.some((l, i) => i > 0 && centre(l) - centre(lanes[i - 1] as typeof l) < LABEL)
  const groups: (typeof lanes)[] = []
  for (const l of lanes) {
    const last = groups.at(-1)
    if (close && last && last[0]?.kind === l.kind && last[0]?.a === l.a) last.push(l)
    else groups.push([l])
  }
  return groups.map((g) => {
    const [first, last] = [g[0], g.at(-1)] as [(typeof g)[number], (typeof g)[number]]
    const each = g.length > 1 ? `${g.length} × ${amps(first.a)}` : `${first.unit} ${amps(first.a)}`
    return { text: each, y: (centre(first) + centre(last)) / 2 }
  })
}
