// A manual's table on its way into the menu: what was read, what a person decides, and what the server makes of both.
import { computed, ref, shallowRef, watch } from 'vue'
import { api, ApiProblem, type ManualRow, type ManualTable, type Taken } from '../api/client'
import type { ShownChoice } from './ChoiceRows.vue'
import type { OpenProfile } from './use-profile'

export interface Decision {
  quantity?: string
  min?: number
  max?: number
  step?: number
  rated?: number
  cells?: number
  means?: Record<string, string>
}
const ASK_AFTER_MS = 250

export function useTable(profile: OpenProfile) {
  const table = shallowRef<ManualTable | null>(null)
  const decided = ref<Record<number, Decision>>({})
  const left = ref<Set<number>>(new Set())
  const failure = ref('')
  const busy = ref(false)
  const taken = shallowRef<Taken | null>(null)
  const rows = computed(() => table.value?.rows ?? [])

  /** What a row is taken for: as chosen, else as read unless somebody chose the same for another row. */
  function quantityOf(r: ManualRow): string {
    const own = decided.value[r.line]?.quantity
    if (own !== undefined) return own
    const claimed = rows.value.some((o) => o.line !== r.line && decided.value[o.line]?.quantity === r.quantity)
    return claimed ? '' : (r.quantity ?? '')
  }
  const chosen = (r: ManualRow) => decided.value[r.line]?.quantity !== undefined
  const seen = (r: ManualRow) => chosen(r) || (r.sure && quantityOf(r) === r.quantity)
  const toSee = computed(() => rows.value.filter((r) => !seen(r) && !left.value.has(r.line)).length)
  const stepOf = (r: ManualRow) => decided.value[r.line]?.step ?? r.step ?? undefined
  const figures = (r: ManualRow) => !Object.keys(r.choices ?? {}).length && r.unit !== 'HH:MM'
  const stepless = computed(() => rows.value.filter((r) => figures(r) && stepOf(r) === undefined && !left.value.has(r.line)))
  /** Rows without a step by unit, and the step they probably have. */
  const steps = computed(() => {
    const out = new Map<string, number>()
    for (const r of stepless.value) out.set(r.unit ?? '', (out.get(r.unit ?? '') ?? 0) + 1)
    return [...out].map(([unit, count]) => ({ unit, count, step: table.value?.steps?.[unit] }))
  })
  const listed = (r: ManualRow): ShownChoice[] =>
    Object.entries(r.choices ?? {}).map(([code, c]) => ({
      shown: c.shows === code ? code : `${code} ${c.shows}`,
      means: decided.value[r.line]?.means?.[code] ?? c.means ?? '',
    }))

  function decide(line: number, part: Decision) {
    decided.value = { ...decided.value, [line]: { ...decided.value[line], ...part } }
  }
  function choose(r: ManualRow, quantity: string) {
    const other = rows.value.find((o) => o.line !== r.line && decided.value[o.line]?.quantity === quantity && quantity !== '')
    if (other) decide(other.line, { quantity: '' })
    decide(r.line, { quantity })
  }
  const mean = (r: ManualRow, choices: ShownChoice[]) =>
    decide(r.line, { means: Object.fromEntries(Object.keys(r.choices ?? {}).map((code, i) => [code, choices[i]?.means ?? ''])) })
  function allSteps(unit: string, step: number) {
    const next = { ...decided.value }
    for (const r of stepless.value) if ((r.unit ?? '') === unit) next[r.line] = { ...next[r.line], step }
    decided.value = next
  }
  function skip(r: ManualRow) {
    const next = new Set(left.value)
    if (!next.delete(r.line)) next.add(r.line)
    left.value = next
  }

  const confirmed = (r: ManualRow) => {
    const own = decided.value[r.line] ?? {}
    const choices = Object.fromEntries(
      Object.entries(r.choices ?? {}).map(([code, c]) => [code, { ...c, means: own.means?.[code] ?? c.means ?? null }]),
    )
    for (const c of Object.values(choices)) if (c.means === '') c.means = null
    const figures = { min: own.min ?? r.min, max: own.max ?? r.max, step: own.step ?? r.step, rated: own.rated, cells: own.cells }
    return { ...r, ...figures, choices, quantity: quantityOf(r) || null }
  }
  const asked = computed(() => rows.value.filter((r) => !left.value.has(r.line)).map(confirmed))
  const class_v = computed(() => Number(profile.at('/ratings/class_v') ?? profile.at('/class_v')) || undefined)
  function body() {
    const ratings: Record<string, number> = {}
    const rated = (name: string, ...pointers: string[]) => {
      const value = pointers.map((p) => Number(profile.at(p))).find((v) => v > 0)
      if (value) ratings[name] = value
    }
    rated('charge_max_a', '/ratings/charge_max_a', '/charge_max_a')
    rated('sun_charge_max_a', '/ratings/sun_charge_max_a', '/charge_max_a')
    rated('mains_charge_max_a', '/ratings/ac_charge_max_a')
    rated('ac_input_max_a', '/ratings/ac_input_max_a')
    const now = (profile.at('/settings') as { id: string }[] | undefined) ?? []
    return { rows: asked.value, taken: now.map((s) => s.id), class_v: class_v.value ?? null, ratings }
  }
  let round = 0
  watch(asked, async () => {
    const mine = ++round
    if (!asked.value.length) return void (taken.value = null)
    await new Promise((r) => setTimeout(r, ASK_AFTER_MS))
    if (mine !== round) return
    try {
      const made = await api.takeRows(body())
      if (mine === round) taken.value = made
    } catch (error) {
      if (!(error instanceof ApiProblem)) throw error
    }
  })
  const refusedAt = (r: ManualRow) => taken.value?.refused.find((x) => x.line === r.line)

  async function look(source: string | Blob) {
    failure.value = ''
    busy.value = true
    try {
      const kind = String(profile.draft.value?.ewerer ?? '').split('/')[0] ?? 'inverter'
      const read = await api.readTable(source, kind, class_v.value)
      table.value = read
      decided.value = {}
      // A row that says nothing of what it takes can be no setting: it is left unless somebody wants it.
      left.value = new Set(
        read.rows.filter((r) => r.min == null && r.max == null && !Object.keys(r.choices ?? {}).length).map((r) => r.line),
      )
    } catch (error) {
      if (!(error instanceof ApiProblem)) throw error
      const [first] = error.problems
      failure.value = first ? `${first.message}; right would be ${first.expected}` : error.message
    } finally {
      busy.value = false
    }
  }
  /** Put what can be taken into the menu; what is refused stays here with its reason. */
  async function take(): Promise<number> {
    const made = await api.takeRows(body())
    const now = (profile.at('/settings') as object[] | undefined) ?? []
    profile.set('/settings', [...now, ...made.settings])
    const gone = new Set([...made.lines, ...left.value])
    const kept = rows.value.filter((r) => !gone.has(r.line))
    taken.value = made
    table.value = kept.length && table.value ? { ...table.value, rows: kept } : null
    return made.settings.length
  }
  return {
    table,
    rows,
    decided,
    left,
    failure,
    busy,
    taken,
    steps,
    stepless,
    toSee,
    quantityOf,
    seen,
    stepOf,
    listed,
    decide,
    choose,
    mean,
    allSteps,
    skip,
    refusedAt,
    look,
    take,
  }
}
