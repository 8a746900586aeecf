// Tooltips say what the server says of a field; none names a field that does not exist.
import { flushPromises, mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { defineComponent, h, withDirectives } from 'vue'
import help from '../src/api/help.json'
import { helpFor, vHelp } from '../src/ui/help'

const files = import.meta.glob('../src/**/*.vue', { query: '?raw', import: 'default', eager: true }) as Record<string, string>
const used = Object.entries(files).flatMap(([file, text]) =>
  [...text.matchAll(/v-help="'([\w.]+)'"/g)].map((m) => [file, m[1] ?? ''] as const),
)

describe('tooltips', () => {
  it('are used, and each names a field of a result', () => {
    expect(used.length).toBeGreaterThan(15)
    for (const [file, name] of used) {
      const [part = '', field = ''] = name.split('.')
      expect((help as Record<string, Record<string, string>>)[part]?.[field], `${name} in ${file}`).toBeTruthy()
    }
  })
  it('carry the unit of a figure', async () => {
    expect(await helpFor('Bank.resistance_mohm')).toMatch(/\[mohm\]/)
    expect(await helpFor('Bank.nothing')).toBe('')
  })
  it('stand on the element, and change with its name', async () => {
    const Frame = defineComponent({
      props: { name: { type: String, required: true } },
      setup: (props) => () => withDirectives(h('b'), [[vHelp, props.name]]),
    })
    const frame = mount(Frame, { props: { name: 'Bank.capacity_ah' } })
    await flushPromises()
    await new Promise((r) => setTimeout(r, 20))
    expect(frame.element.title).toMatch(/Ah/)
    await frame.setProps({ name: 'Bank.energy_wh' })
    await new Promise((r) => setTimeout(r, 20))
    expect(frame.element.title).toMatch(/Wh/)
  })
})
