import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { ApiProblem, api } from '../src/api/client'
import ChoiceField from '../src/ui/ChoiceField.vue'
import NumberField from '../src/ui/NumberField.vue'
import NumberInput from '../src/ui/NumberInput.vue'
import TextField from '../src/ui/TextField.vue'
import { learnFields } from '../src/job/words'
import { aField, mounted, quiet, serve } from './mounting'

const document_ = { ewerer: 'job/1', name: 'Site', bank: { fuse_a: 400 }, policy: { reserve_soc: 0.2 } }

describe('fields of the job', () => {
  beforeEach(() => {
    quiet()
    vi.useFakeTimers({ shouldAdvanceTime: true })
    serve(structuredClone(document_))
  })
  afterEach(() => {
    vi.restoreAllMocks()
    vi.unstubAllGlobals()
    vi.useRealTimers()
  })
  const number = (props: object) => mounted(NumberField, { label: 'Main fuse', path: '/bank/fuse_a', unit: 'A', ...props })

  it('shows what is stored, with its unit and label', async () => {
    const { wrapper } = await number({})
    expect(wrapper.get('input').element.value).toBe('400')
    expect(wrapper.get('label').text()).toBe('Main fuse')
    expect(wrapper.text()).toContain('A')
  })
  it('takes a comma and an empty field', async () => {
    const { wrapper, job } = await number({})
    await wrapper.get('input').setValue('62,5')
    expect(job.at('/bank/fuse_a')).toBe(62.5)
    await wrapper.get('input').setValue('')
    expect(job.at('/bank/fuse_a')).toBeUndefined()
    expect(job.at('/bank')).toBeUndefined()
  })
  it('keeps what cannot be read, stores nothing and says why', async () => {
    const { wrapper, job } = await number({})
    await wrapper.get('input').setValue('four')
    await vi.advanceTimersByTimeAsync(400)
    expect(wrapper.get('input').element.value).toBe('four')
    expect(job.at('/bank/fuse_a')).toBe(400)
    const why = wrapper.get('[role=alert]')
    expect(why.text()).toContain('not a number')
    expect(wrapper.get('input').attributes('aria-describedby')).toBe(why.attributes('id'))
    expect(wrapper.get('input').attributes('aria-invalid')).toBe('true')
  })
  it('asks for whole numbers where only those make sense', async () => {
    const { wrapper, job } = await number({ whole: true })
    await wrapper.get('input').setValue('12.5')
    await vi.advanceTimersByTimeAsync(400)
    expect(wrapper.text()).toContain('whole number')
    expect(job.at('/bank/fuse_a')).toBe(400)
  })
  it('shows a fraction as percent without binary dust', async () => {
    const { wrapper, job } = await number({ path: '/policy/reserve_soc', scale: 100, unit: '%' })
    expect(wrapper.get('input').element.value).toBe('20')
    for (const [typed, stored] of [
      ['29', 0.29],
      ['57', 0.57],
      ['33.3', 0.333],
    ] as const) {
      await wrapper.get('input').setValue(typed)
      expect(job.at('/policy/reserve_soc')).toBe(stored)
      expect(wrapper.get('input').element.value).toBe(typed)
    }
  })
  it('follows undo', async () => {
    const { wrapper, job } = await number({})
    await wrapper.get('input').setValue('250')
    job.undo()
    await vi.advanceTimersByTimeAsync(10)
    expect(wrapper.get('input').element.value).toBe('400')
  })
  it('stands the words of a refusal beside the figure they are about', async () => {
    const { wrapper } = await number({})
    const problems = [{ pointer: '/bank/fuse_a', message: 'too low', value: -5, expected: 'more than 0' }]
    vi.mocked(api.plan).mockRejectedValue(new ApiProblem(422, 'Refused', 'One thing', problems as never))
    await wrapper.get('input').setValue('-5')
    await vi.advanceTimersByTimeAsync(200)
    expect(wrapper.get('[role=alert]').text()).toBe('too low. Right would be more than 0.')
    expect(wrapper.get('input').element.value).toBe('-5')
  })

  it('chooses one of a few, and a switch is on or absent', async () => {
    const choices = [
      ['rest', 'Rest'],
      ['same', 'Stay'],
    ]
    const one = await mounted(ChoiceField, { path: '/policy/float_school', label: 'Then', choices, fallback: 'rest' })
    const radios = one.wrapper.findAll('input')
    expect(radios.map((r) => (r.element as HTMLInputElement).checked)).toEqual([true, false])
    await radios[1]?.setValue(true)
    expect(one.job.at('/policy/float_school')).toBe('same')
    const flag = await mounted(ChoiceField, {
      path: '/policy/new_bank',
      label: 'New bank',
      flag: true,
      choices: [
        [0, 'No'],
        [1, 'Yes'],
      ],
      fallback: 0,
    })
    await flag.wrapper.findAll('input')[1]?.setValue(true)
    expect(flag.job.at('/policy/new_bank')).toBe(true)
    await flag.wrapper.findAll('input')[0]?.setValue(true)
    expect(flag.job.at('/policy/new_bank')).toBeUndefined()
  })
  it('chooses from a long list', async () => {
    const { wrapper, job } = await mounted(ChoiceField, {
      path: '/policy/mode',
      label: 'Mode',
      select: true,
      fallback: 'off-grid',
      choices: [
        ['off-grid', 'off grid'],
        ['feed-in', 'feeding in'],
      ],
    })
    // Drawn until it is pressed; what is chosen shows, and a press opens the list itself.
    expect(wrapper.findComponent({ name: 'ElSelect' }).exists()).toBe(false)
    await wrapper.get('[role=combobox]').trigger('click')
    await vi.waitUntil(() => wrapper.findComponent({ name: 'ElSelect' }).exists())
    await vi.waitUntil(() => wrapper.find('[aria-expanded=true]').exists())
    wrapper.findComponent({ name: 'ElSelect' }).vm.$emit('change', 'feed-in')
    expect(job.at('/policy/mode')).toBe('feed-in')
  })

  it('keeps the old name where a name is needed', async () => {
    const { wrapper, job } = await mounted(TextField, { path: '/name', label: 'Job name', needed: true })
    await wrapper.get('input').setValue('')
    await wrapper.get('input').trigger('change')
    await vi.advanceTimersByTimeAsync(400)
    expect(job.at('/name')).toBe('Site')
    expect(wrapper.text()).toContain('the old one is kept')
    await wrapper.get('input').setValue('Other')
    await wrapper.get('input').trigger('keydown', { key: 'Enter' })
    expect(job.at('/name')).toBe('Other')
  })
  it('takes an optional text out when it is emptied', async () => {
    const { wrapper, job } = await mounted(TextField, { path: '/notes', label: 'Notes' })
    await wrapper.get('input').setValue('look here')
    await wrapper.get('input').trigger('change')
    expect(job.at('/notes')).toBe('look here')
    await wrapper.get('input').setValue('')
    await wrapper.get('input').trigger('change')
    expect(job.document.value).not.toHaveProperty('notes')
  })

  it('takes label, unit, factor and default from the words of the field', async () => {
    learnFields([aField('/policy/reserve_soc', 'Reserve', 'thresholds', { unit: '%', scale: 100, default: '20' })])
    const { wrapper, job } = await mounted(NumberField, { path: '/policy/reserve_soc' })
    expect(wrapper.get('label').text()).toBe('Reserve')
    expect(wrapper.get('input').element.value).toBe('20')
    await wrapper.get('input').setValue('35')
    expect(job.at('/policy/reserve_soc')).toBe(0.35)
    await wrapper.get('input').setValue('')
    expect(wrapper.get('input').attributes('placeholder')).toBe('20')
    learnFields([])
  })
  it('keeps a figure as it is typed, key by key, also with a point at its end', async () => {
    const set: unknown[] = []
    const { wrapper, part } = await mounted(NumberInput, { value: 3, onSet: (v: unknown) => set.push(v) })
    for (const typed of ['3', '3.', '3.6', '3.65']) {
      await wrapper.get('input').setValue(typed)
      expect(wrapper.get('input').element.value).toBe(typed)
    }
    expect(set).toEqual([3, 3.6, 3.65])
    await wrapper.get('input').setValue('x')
    expect(set.at(-1)).toBe('x')
    await wrapper.get('input').setValue('')
    expect(set.at(-1)).toBeUndefined()
    expect(part.exists()).toBe(true)
  })
})
