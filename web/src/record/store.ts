// What this device keeps of the work on site, so that a day without a network and a closed browser lose nothing: events, those
// not sent yet among them, photographs on their way, and the last run that was read.
import { openDB, type DBSchema, type IDBPDatabase } from 'idb'
import type { EventData } from './types'

interface KeptEvent {
  job: string
  id: string
  event: EventData
  /** 0 while it waits for the server, 1 once the server has it, 2 when it was refused. */
  sent: 0 | 1 | 2
  by: string
  why?: string
}
export interface KeptPhoto {
  job: string
  key: string
  blob: Blob
  sent: 0 | 1 | 2
}
interface Tables extends DBSchema {
  events: { key: [string, string]; value: KeptEvent; indexes: { job: string } }
  photos: { key: [string, string]; value: KeptPhoto; indexes: { job: string } }
  kept: { key: string; value: unknown }
}
let opened: Promise<IDBPDatabase<Tables>> | null = null
const database = () =>
  (opened ??= openDB<Tables>('ewerer-record', 1, {
    upgrade(db) {
      db.createObjectStore('events', { keyPath: ['job', 'id'] }).createIndex('job', 'job')
      db.createObjectStore('photos', { keyPath: ['job', 'key'] }).createIndex('job', 'job')
      db.createObjectStore('kept')
    },
  }))

/** Where the browser has no store, what is told lives as long as the page. */
export interface RecordStore {
  events(job: string): Promise<KeptEvent[]>
  putEvents(all: KeptEvent[]): Promise<void>
  photos(job: string): Promise<KeptPhoto[]>
  putPhoto(photo: KeptPhoto): Promise<void>
  read<T>(key: string): Promise<T | undefined>
  keep(key: string, value: unknown): Promise<void>
}
export const indexed: RecordStore = {
  events: async (job) => (await database()).getAllFromIndex('events', 'job', job),
  async putEvents(all) {
    const write = (await database()).transaction('events', 'readwrite', { durability: 'strict' })
    for (const one of all) void write.store.put(one)
    await write.done
  },
  photos: async (job) => (await database()).getAllFromIndex('photos', 'job', job),
  putPhoto: async (photo) => void (await (await database()).put('photos', photo)),
  read: async <T>(key: string) => (await (await database()).get('kept', key)) as T | undefined,
  keep: async (key, value) => void (await (await database()).put('kept', value, key)),
}
export function inMemory(): RecordStore {
  const events = new Map<string, KeptEvent>()
  const photos = new Map<string, KeptPhoto>()
  const kept = new Map<string, unknown>()
  return {
    events: (job) => Promise.resolve([...events.values()].filter((e) => e.job === job)),
    putEvents: (all) => Promise.resolve(all.forEach((e) => events.set(`${e.job} ${e.id}`, e))),
    photos: (job) => Promise.resolve([...photos.values()].filter((p) => p.job === job)),
    putPhoto: (p) => Promise.resolve(void photos.set(`${p.job} ${p.key}`, p)),
    read: <T>(key: string) => Promise.resolve(kept.get(key) as T | undefined),
    keep: (key, value) => Promise.resolve(void kept.set(key, value)),
  }
}
/** Open the store before it is needed; a slow device takes a while. */
export const openAhead = () => void (typeof indexedDB !== 'undefined' && database().catch(() => undefined))
export const store: RecordStore = typeof indexedDB === 'undefined' ? inMemory() : indexed
export type { KeptEvent }
