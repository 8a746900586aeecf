// The code that a telephone reads: its three finder patterns, its size and quiet zone, as ISO/IEC 18004 draws them.
import { mount } from '@vue/test-utils'
import { encode } from 'uqr'
import { describe, expect, it } from 'vitest'
import QrDialog from '../src/workspace/QrDialog.vue'

describe('the page on a telephone', () => {
  it('is drawn as a QR code with its patterns and a quiet zone of four', () => {
    const w = mount(QrDialog, {
      props: { modelValue: true },
      global: { stubs: { ElDialog: { template: '<div><slot /></div>' } } },
    })
    const size = Number(w.get('svg').attributes('viewBox')?.split(' ')[2])
    expect((size - 8 - 17) % 4).toBe(0)
    const dark = new Set([...(w.get('path').attributes('d') ?? '').matchAll(/M(\d+) (\d+)/g)].map((m) => `${m[1]},${m[2]}`))
    const last = size - 4 - 7
    for (const [x0, y0] of [
      [4, 4],
      [last, 4],
      [4, last],
    ] as const)
      for (let y = 0; y < 7; y++)
        for (let x = 0; x < 7; x++) {
          const ring = Math.max(Math.abs(x - 3), Math.abs(y - 3))
          expect(dark.has(`${x0 + x},${y0 + y}`)).toBe(ring !== 2)
        }
    for (let i = 0; i < size; i++) for (let b = 0; b < 4; b++) expect(dark.has(`${i},${b}`)).toBe(false)
    expect(encode(window.location.href, { ecc: 'M', border: 4 }).size).toBe(size)
    expect(w.text()).toContain(window.location.href)
    expect(w.get('[role=alert]').text()).toContain('this machine only')
  })
})
