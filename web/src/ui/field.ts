// What all fields of the job share.
import type { OpenJob } from '../job/use-job'

export const idOf = (path: string): string => 'f' + path.replace(/[^A-Za-z0-9]+/g, '-')
/** The server's refusal of the figure at a pointer, in words; empty where it is taken. */
export function refusalOf(job: OpenJob, path: string): string {
  const refused = job.problemAt.value.get(path)
  return refused ? `${refused.message}. Right would be ${refused.expected}.` : ''
}
