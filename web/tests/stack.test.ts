import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { defineComponent, nextTick, ref } from 'vue'
import { vStack } from '../src/ui/stack'

describe('a table for narrow screens', () => {
  it('gives each cell the word of its column, also to rows that come later', async () => {
    const rows = ref([['M1', '53.1']])
    const Table = defineComponent({
      directives: { stack: vStack },
      setup: () => ({ rows }),
      template: `<table v-stack="['No']"><thead><tr><th>No</th><th>Module</th><th>Resting</th><th><span class="visually-hidden">Actions</span></th></tr></thead>
        <tbody><tr><th colspan="4">all</th></tr>
        <tr v-for="([a, b], i) in rows" :key="a"><td>{{ i }}</td><td>{{ a }}</td><td>{{ b }}</td><td>x</td></tr>
        <tr><td>0</td><td colspan="2">wide</td><td>y</td></tr></tbody></table>`,
    })
    const page = mount(Table)
    const words = () => page.findAll('tr').map((r) => r.findAll('td').map((c) => (c.element as HTMLElement).dataset.word))
    expect(words().slice(2)).toEqual([
      ['', 'Module', 'Resting', ''],
      ['', '', ''],
    ])
    rows.value = [...rows.value, ['M2', '53.0']]
    await nextTick()
    expect(words()[3]).toEqual(['', 'Module', 'Resting', ''])
  })
})
