// A file goes up in parts; what was cut off goes on where it stopped, and a person may stop it.
import { ref } from 'vue'
import { api, ApiProblem, type MeasuredLog } from '../api/client'

const TRIES = 3
const AGAIN_MS = 800
const wait = (ms: number) => new Promise((done) => window.setTimeout(done, ms))

export function useUpload(job: string) {
  const share = ref<number | null>(null)
  const word = ref('')
  const failure = ref('')
  let stopped: AbortController | null = null

  /** Sends a file and has it read; null where it was stopped or failed, which `failure` then says. */
  async function send(file: File): Promise<MeasuredLog | null> {
    stopped = new AbortController()
    const { signal } = stopped
    failure.value = ''
    share.value = 0
    word.value = `Sending ${file.name}`
    try {
      const log = await api.beginLog(job, file.name, file.size)
      const parts = Math.ceil(file.size / log.part_bytes)
      for (let n = log.parts; n < parts; n++) {
        await sent(log.id, n, file.slice(n * log.part_bytes, (n + 1) * log.part_bytes), signal)
        share.value = (n + 1) / parts
      }
      word.value = `Reading ${file.name}`
      share.value = 1
      return await api.readMeasuredLog(job, log.id, null, signal)
    } catch (error) {
      if (signal.aborted) word.value = 'Stopped; choose the same file to go on.'
      else {
        failure.value = error instanceof ApiProblem ? error.inWords : String(error)
        word.value = ''
      }
      return null
    } finally {
      share.value = null
      if (!signal.aborted) word.value = ''
    }
  }
  async function sent(log: string, number: number, part: Blob, signal: AbortSignal) {
    for (let n = 1; ; n++) {
      try {
        return await api.sendLogPart(job, log, number, part, signal)
      } catch (error) {
        if (signal.aborted || n === TRIES || !(error instanceof ApiProblem) || (!error.offline && error.status < 500)) throw error
        await wait(AGAIN_MS * n)
      }
    }
  }
  const stop = () => stopped?.abort()
  return { share, word, failure, send, stop }
}
