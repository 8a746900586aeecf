import { describe, expect, it } from 'vitest'
import { computed, ref } from 'vue'
import type { Rung } from '../src/api/client'
import { scaleOf } from '../src/stages/thresholds/ladder'
import { useDrag } from '../src/stages/thresholds/use-drag'

const rung = { value: 52, step: 0.1 } as Rung
const element = { setPointerCapture: () => undefined }
const pointer = (clientY: number, button = 0) =>
  ({ clientY, button, pointerId: 1, currentTarget: element }) as unknown as PointerEvent

function made() {
  const told: unknown[][] = []
  const scale = computed(() => scaleOf(40, 60, 0, 400)) // 20 pixels a volt
  const drag = useDrag(
    { scale, low: ref(40), high: ref(60) },
    {
      choose: (n) => told.push(['choose', n]),
      move: (n, v) => told.push(['move', n, v]),
      reset: (n) => told.push(['reset', n]),
    },
  )
  return { told, ...drag }
}
function dragged(by: number) {
  const d = made()
  d.down(pointer(100), 'float_v', rung)
  d.moved(pointer(100 + by), rung)
  d.up()
  return d.told
}
function pressed(name: string) {
  const d = made()
  let stopped = false
  d.key({ key: name, preventDefault: () => (stopped = true) } as unknown as KeyboardEvent, 'float_v', rung)
  return { told: d.told, stopped }
}

describe('moving a rung', () => {
  it('goes up by the pixels dragged up', () => {
    expect(dragged(-20)).toEqual([
      ['choose', 'float_v'],
      ['move', 'float_v', 53],
    ])
  })
  it('is a choice when the pointer hardly moves, or moves by less than a step', () => {
    expect(dragged(2)).toEqual([['choose', 'float_v']])
    expect(dragged(0)).toEqual([['choose', 'float_v']])
  })
  it('stays on whole steps and on the scale, wherever one drags', () => {
    for (let by = -5000; by <= 5000; by += 7)
      for (const [what, , value] of dragged(by)) {
        if (what !== 'move') continue
        expect(Math.abs((value as number) * 10 - Math.round((value as number) * 10))).toBeLessThan(1e-6)
        expect(value).toBeGreaterThanOrEqual(40)
        expect(value).toBeLessThanOrEqual(60)
      }
  })
  it('leaves the second button alone', () => {
    const d = made()
    d.down(pointer(100, 2), 'float_v', rung)
    d.moved(pointer(50), rung)
    d.up()
    expect(d.told).toEqual([])
  })
  it('is given up by Escape', () => {
    const d = made()
    d.down(pointer(100), 'float_v', rung)
    d.moved(pointer(50), rung)
    d.key({ key: 'Escape', preventDefault: () => undefined } as unknown as KeyboardEvent, 'float_v', rung)
    d.up()
    expect(d.told).toEqual([['choose', 'float_v']])
  })
  it.each([
    ['ArrowUp', ['move', 'float_v', 52.1]],
    ['ArrowDown', ['move', 'float_v', 51.9]],
    ['PageUp', ['move', 'float_v', 53]],
    ['Delete', ['reset', 'float_v']],
    ['Enter', ['choose', 'float_v']],
  ])('%s does its part and no more', (name, told) => {
    expect(pressed(name)).toEqual({ told: [told], stopped: true })
  })
  it('leaves other keys to the page', () => expect(pressed('Tab')).toEqual({ told: [], stopped: false }))
})
