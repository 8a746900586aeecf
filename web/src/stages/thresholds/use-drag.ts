// Moving a rung of the ladder: by pointer, in whole steps and within the scale, or by keys.
import { shallowRef, type Ref } from 'vue'
import type { Rung } from '../../api/client'
import { snap, type Scale } from './ladder'

export interface Drag {
  name: string
  from: number
  startY: number
  value: number
  moved: boolean
}
interface Told {
  choose: (name: string) => void
  move: (name: string, value: number) => void
  reset: (name: string) => void
}
const STEPS: Record<string, number> = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 10, PageDown: -10 }
/** A press that moves less than this many pixels is a choice, not a move. */
const STILL_PX = 3

export function useDrag(on: { scale: Ref<Scale>; low: Ref<number>; high: Ref<number> }, told: Told) {
  const dragging = shallowRef<Drag | null>(null)
  /** What keys have asked for while the plan is on its way: the next key steps from here. */
  const pending = shallowRef<{ name: string; value: number } | null>(null)

  function down(event: PointerEvent, name: string, r: Rung) {
    if (event.button !== 0) return
    told.choose(name)
    ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
    dragging.value = { name, from: r.value, startY: event.clientY, value: r.value, moved: false }
  }
  function moved(event: PointerEvent, r: Rung) {
    const d = dragging.value
    if (!d) return
    const dy = event.clientY - d.startY
    if (Math.abs(dy) < STILL_PX && !d.moved) return
    const raw = on.scale.value.value(on.scale.value.y(d.from) + dy)
    const kept = Math.min(on.high.value, Math.max(on.low.value, raw))
    dragging.value = { ...d, moved: true, value: snap(kept, r.step, d.from) }
  }
  function up() {
    const d = dragging.value
    dragging.value = null
    if (d?.moved && d.value !== d.from) told.move(d.name, d.value)
  }
  function key(event: KeyboardEvent, name: string, r: Rung) {
    const by = STEPS[event.key]
    if (by !== undefined) {
      const from = pending.value?.name === name && r.wished !== pending.value.value ? pending.value.value : r.value
      const value = snap(Math.min(on.high.value, Math.max(on.low.value, from + by * r.step)), r.step, r.value)
      pending.value = { name, value }
      told.move(name, value)
    } else if (event.key === 'Delete' || event.key === 'Backspace') {
      pending.value = null
      told.reset(name)
    } else if (event.key === 'Enter' || event.key === ' ') told.choose(name)
    else {
      if (event.key === 'Escape') dragging.value = null
      return
    }
    event.preventDefault()
  }
  return { dragging, pending, down, moved, up, key }
}
