// Mount a part of the workspace on an open job, with the server's answers given.
import { flushPromises, mount, type ComponentMountingOptions } from '@vue/test-utils'
import { notifyManager, QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { vi } from 'vitest'
import { defineComponent, h, type Component } from 'vue'
import { api, type FieldOut, type Job, type Opening, type Plan } from '../src/api/client'
import { createJob, provideJob, type OpenJob } from '../src/job/use-job'

notifyManager.setScheduler(queueMicrotask)
export const newClient = () => new QueryClient({ defaultOptions: { queries: { retry: false } } })
/** Run a composable with a query client, as a component's setup would; `stop` ends it. */
export function used<T>(run: () => T): { value: T; stop: () => void } {
  let value!: T
  const frame = mount(
    defineComponent({
      setup() {
        value = run()
        return () => h('i')
      },
    }),
    { global: { plugins: [[VueQueryPlugin, { queryClient: newClient() }]] } },
  )
  return { value, stop: () => frame.unmount() }
}

export const aField = (pointer: string, label: string, stage = 'site', more: Partial<FieldOut> = {}): FieldOut => ({
  pointer,
  label,
  stage,
  unit: '',
  scale: 1,
  choices: [],
  default: '',
  whole: false,
  ...more,
})

export const fakePlan = (part: object = {}) =>
  ({ findings: [], stages: [], ladder: {}, quantities: {}, units: [], ...part }) as unknown as Plan

/** What the server tells a page that opens a job, with or without its plan. */
export const openingOf = (job: object, plan: Plan | null = null, at = new Date().toISOString()) =>
  ({ job, plan, at, events: 0, stages: [], fields: [], session: {} }) as unknown as Opening

/** Give the API's answers for one job; everything typed is accepted unless told otherwise. */
export function serve(document: object, plan: Plan = fakePlan()) {
  const stored = {
    id: 'j',
    revision: 1,
    saved_at: '2026-01-01T10:00:00Z',
    saved_by: 'ann',
    put_away: false,
    document: document as Job,
  }
  vi.spyOn(api, 'job').mockResolvedValue(stored as never)
  vi.spyOn(api, 'opening').mockResolvedValue(openingOf(stored))
  vi.spyOn(api, 'plan').mockResolvedValue(plan)
  vi.spyOn(api, 'saveJob').mockResolvedValue({ revision: 2, saved_at: '2026-01-01T10:00:00Z', saved_by: 'ann' })
}

export async function mounted(part: Component, props: object = {}, options: ComponentMountingOptions<Component> = {}) {
  let job!: OpenJob
  const Frame = defineComponent({
    setup() {
      job = createJob('j')
      provideJob(job)
      return () => h(part, props)
    },
  })
  const wrapper = mount(Frame, {
    ...options,
    attachTo: document.body,
    global: {
      plugins: [[VueQueryPlugin, { queryClient: newClient() }]],
      ...options.global,
    },
  })
  await job.open()
  await flushPromises()
  return { wrapper, job, part: wrapper.findComponent(part) }
}

export function quiet() {
  localStorage.clear()
  document.body.innerHTML = ''
  vi.stubGlobal(
    'ResizeObserver',
    class {
      observe() {}
      disconnect() {}
      unobserve() {}
    },
  )
}
