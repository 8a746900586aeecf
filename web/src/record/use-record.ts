// The record of the open job: events are made here, kept on this device first, sent in order, and those of others are read.
import { useEventListener, useIntervalFn } from '@vueuse/core'
import { computed, ref, shallowRef, triggerRef } from 'vue'
import { api, ApiProblem } from '../api/client'
import { session } from '../session/use-session'
import { fold, marksOf, type Mark, renamedStep, underNamesOfNow } from './fold'
import { store as usual, type KeptEvent, type KeptPhoto, type RecordStore } from './store'
import type { EventData, NewEvent, RecordState } from './types'

const ASK_EVERY_MS = 4000
const AT_ONCE = 200

const random = (): string => {
  const bytes = crypto.getRandomValues(new Uint8Array(12))
  return Array.from(bytes, (b) => b.toString(16).padStart(2, '0')).join('')
}
/** Plain data of what may hold parts that are watched; the store takes nothing else. */
const plainly = <T>(event: T): T => JSON.parse(JSON.stringify(event)) as T
/** A moment that is never before the last one known, so that whatever answers an event stands after it. */
export function moment(last: string, now = Date.now()): string {
  const least = last ? Date.parse(last) + 1 : 0
  return new Date(Math.max(now, least)).toISOString()
}

export function createRecord(id: string, store: RecordStore = usual) {
  const held = shallowRef(new Map<string, KeptEvent>())
  const photos = shallowRef(new Map<string, KeptPhoto>())
  const seq = ref(0)
  const ready = ref(false)
  const away = ref(false)
  const failure = ref('')
  const lateBy = ref('')
  /** Steps that were read on this page, or were read and not yet sent when it opened. */
  const readHere = new Set<string>()
  let syncing: Promise<void> | null = null
  let again = false
  let closed = false

  const events = computed(() => [...held.value.values()].filter((e) => e.sent !== 2).map((e) => e.event))
  const state = computed<RecordState>(() => fold(events.value))
  const marks = computed(() => marksOf(state.value))
  const waiting = computed(() => [...held.value.values()].filter((e) => e.sent === 0).length)
  const photosWaiting = computed(() => [...photos.value.values()].filter((p) => p.sent === 0).length)
  const refused = computed(() => [...held.value.values()].filter((e) => e.sent === 2))
  const me = () => session.value?.user ?? ''

  const channel = typeof BroadcastChannel === 'undefined' ? null : new BroadcastChannel(`ewerer-record-${id}`)
  if (channel) channel.onmessage = () => void reload()

  async function reload() {
    const [kept, pictures] = await Promise.all([store.events(id), store.photos(id)])
    held.value = new Map(kept.map((e) => [e.id, e]))
    photos.value = new Map(pictures.map((p) => [p.key, p]))
  }
  /** Take up what this device keeps; whether it has ever heard the server's part of this record. */
  async function begin(): Promise<boolean> {
    let heard: number | undefined
    try {
      const told = store.read<number>(`seq ${id}`)
      await reload()
      for (const e of held.value.values()) if (e.sent === 0 && e.event.step) readHere.add(e.event.step)
      heard = await told
      seq.value = heard ?? 0
    } catch {
      failure.value = 'This browser keeps nothing on this device: stay on this page until everything is sent.'
    }
    ready.value = true
    return heard !== undefined
  }
  /** Nothing but what the server has told up to a place is known here, and all of that. */
  const stands = (last: number): boolean => seq.value === last && !waiting.value
  async function open() {
    await begin()
    await sync()
  }

  /** Make events of what was done; they count at once, and are kept before anything is sent. */
  async function add(...made: NewEvent[]): Promise<EventData[]> {
    if (session.value?.role === 'reader') {
      failure.value = 'You read in this crew: nothing is recorded.'
      return []
    }
    let last = state.value.last
    const whole = made.map((m) => {
      last = moment(last)
      return plainly({ ewerer: 'event/1' as const, id: random(), at: last, by: me(), ...m })
    })
    for (const e of whole) if ((e.kind === 'reading' || e.kind === 'timer') && e.step) readHere.add(e.step)
    await take(whole.map((event) => ({ job: id, id: event.id, event, sent: 0 as const, by: me() })))
    void sync()
    return whole
  }
  /** Add events whose ids say what they are, such as lines of an imported list: the same ones again add nothing. */
  async function addKnown(made: (NewEvent & { id: string })[]) {
    let last = state.value.last
    const whole = made
      .filter((m) => !held.value.has(m.id))
      .map((m) => {
        last = moment(last)
        return plainly({ ewerer: 'event/1' as const, at: last, by: me(), ...m })
      })
    await take(whole.map((event) => ({ job: id, id: event.id, event, sent: 0 as const, by: me() })))
    void sync()
    return whole.length
  }
  async function take(all: KeptEvent[]) {
    for (const one of all) held.value.set(one.id, one)
    triggerRef(held)
    await store
      .putEvents(all)
      .catch(() => (failure.value = 'This device could not keep what was noted; it is only on this page.'))
    if (!closed) channel?.postMessage('events')
  }

  /** Send what waits, in the order it was made, then read what others sent. */
  async function sync(): Promise<void> {
    if (closed) return
    if (syncing) {
      again = true
      return syncing
    }
    syncing = exchange()
      .then(() => {
        away.value = false
        lateBy.value = ''
      })
      .catch((error: unknown) => {
        if (!(error instanceof ApiProblem)) throw error
        away.value = error.offline
        lateBy.value = error.offline ? '' : error.message
      })
      .finally(() => (syncing = null))
    await syncing
    if (again) {
      again = false
      await sync()
    }
  }
  async function exchange() {
    for (const photo of [...photos.value.values()].filter((p) => p.sent === 0)) {
      try {
        await api.sendPhoto(id, photo.key, photo.blob)
        await keepPhoto({ ...photo, sent: 1 })
      } catch (error) {
        if (!(error instanceof ApiProblem) || error.status !== 422) throw error
        failure.value = `A photograph was refused: ${error.message}`
        await keepPhoto({ ...photo, sent: 2 })
      }
    }
    for (;;) {
      const queue = [...held.value.values()]
        .filter((e) => e.sent === 0 && e.by === me())
        .sort((a, b) => (a.event.at < b.event.at ? -1 : 1))
        .slice(0, AT_ONCE)
      if (!queue.length) break
      const told = await api.sendEvents(
        id,
        queue.map((e) => e.event),
      )
      const why = new Map((told.refused ?? []).map((r) => [r.id, r.message]))
      await take(queue.map((e) => ({ ...e, sent: why.has(e.id) ? (2 as const) : (1 as const), why: why.get(e.id) })))
    }
    for (;;) {
      const part = await api.events(id, seq.value)
      const fresh = part.items.filter((i) => held.value.get(i.event.id)?.sent !== 1)
      if (fresh.length)
        await take(
          fresh.map((i) => ({
            job: id,
            id: i.event.id,
            event: i.event as unknown as EventData,
            sent: 1 as const,
            by: i.event.by,
          })),
        )
      const last = part.items.at(-1)
      if (!last) {
        if (!seq.value) await store.keep(`seq ${id}`, 0).catch(() => undefined)
        break
      }
      seq.value = last.seq
      await store.keep(`seq ${id}`, seq.value).catch(() => undefined)
      if (last.seq >= part.last) break
    }
  }
  async function keepPhoto(photo: KeptPhoto) {
    photos.value.set(photo.key, photo)
    triggerRef(photos)
    await store.putPhoto(photo).catch(() => (failure.value = 'This device could not keep the photograph.'))
  }
  async function addPhoto(blob: Blob, step?: string, text?: string) {
    const key = `p-${random()}`
    await keepPhoto({ job: id, key, blob, sent: 0 })
    await add({ kind: 'photo', photo: key, ...(step ? { step } : {}), ...(text ? { text } : {}) })
  }
  /** Take back the latest event that fits. */
  async function takeBack(fits: (e: EventData) => boolean, why: string) {
    const last = underNamesOfNow(events.value).filter(fits).at(-1)
    if (last) await add({ kind: 'undo', target: last.id, text: why })
  }

  // What sheets write as found values and marks becomes events.
  function writeFound(device: string, next: Record<string, string>) {
    const now = state.value.found[device] ?? {}
    const changed = [...new Set([...Object.keys(now), ...Object.keys(next)])].filter((s) => now[s] !== next[s])
    const made = changed.map((setting) => ({ kind: 'as-found', device, setting, shown: next[setting] ?? '' }))
    if (made.length) void add(...made)
  }
  /** A device has another name: what was told of it goes along. */
  function rename(device: string, shown: string) {
    const told = device in state.value.found || Object.keys(state.value.steps).some((s) => renamedStep(s, device, shown) !== s)
    if (told) void add({ kind: 'renamed', device, shown })
  }
  function writeMark(device: string, key: string, next: Mark | undefined) {
    const step = `enter:${device}:${key}`
    const now = marks.value[device]?.[key]
    const of = (...kinds: string[]) => underNamesOfNow(events.value).filter((e) => e.step === step && kinds.includes(e.kind))
    const undo = (all: EventData[]) => all.map((e) => ({ kind: 'undo', target: e.id, text: 'taken back on the sheet' }))
    if (!next) return void add(...undo(of('done', 'skipped', 'read-back', 'note')))
    const made: NewEvent[] = []
    const marked = of('done', 'skipped').at(-1)
    if (marked?.kind !== next.state)
      made.push(next.state === 'done' ? { kind: 'done', step } : { kind: 'skipped', step, text: 'left out on the sheet' })
    if ((now?.read_back ?? '') !== (next.read_back ?? ''))
      made.push(...(next.read_back ? [{ kind: 'read-back', step, shown: next.read_back }] : undo(of('read-back'))))
    if ((now?.note ?? '') !== (next.note ?? ''))
      made.push(...(next.note ? [{ kind: 'note', step, text: next.note }] : undo(of('note'))))
    if (made.length) void add(...made)
  }

  const ask = useIntervalFn(() => document.visibilityState === 'visible' && void sync(), ASK_EVERY_MS)
  const listening = [
    useEventListener(window, 'online', () => void sync()),
    useEventListener(document, 'visibilitychange', () => document.visibilityState === 'visible' && void sync()),
  ]
  function close() {
    closed = true
    ask.pause()
    listening.forEach((stop) => stop())
    channel?.close()
  }
  return {
    id,
    ready,
    readHere,
    events,
    state,
    marks,
    photos,
    waiting,
    photosWaiting,
    refused,
    away,
    failure,
    lateBy,
    begin,
    stands,
    open,
    close,
    sync,
    add,
    addKnown,
    addPhoto,
    takeBack,
    writeFound,
    rename,
    writeMark,
    keep: (key: string, value: unknown) => store.keep(`${key} ${id}`, value).catch(() => undefined),
    kept: <T>(key: string) => store.read<T>(`${key} ${id}`).catch(() => undefined),
  }
}
export type OpenRecord = ReturnType<typeof createRecord>
