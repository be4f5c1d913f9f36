import { answer, api, Trouble, type Job } from '@/shared/api/client'

/** What a kind of job says it did. */
export type Told<J extends Job> = NonNullable<J['result']>
export const isJob = <T extends object>(value: T): value is Extract<T, Job> => 'cancel_asked' in value
export const isOver = (job: Job) => !['waiting', 'running'].includes(job.state)
/** Jobs of one kind among all. */
export type JobOf<Kind extends Job['kind']> = Extract<Job, { kind: Kind }>
export const isKind = <Kind extends Job['kind']>(job: Job, kind: Kind): job is JobOf<Kind> => job.kind === kind
const isSame = <J extends Job>(job: Job, begun: J): job is J => job.kind === begun.kind

/** Wait until a job has ended, telling how far it is; what it did, or a `Trouble` where it didn't. */
export async function follow<J extends Job>(job: J, tell: (job: Job | undefined) => void): Promise<Told<J>> {
  let now = job
  let wait = 120
  try {
    while (!isOver(now)) {
      tell(now)
      await new Promise((go) => setTimeout(go, wait))
      wait = Math.min(wait * 1.4, 1500)
      const seen = await answer(api.GET('/api/jobs/{job_id}', { params: { path: { job_id: job.id } } }))
      if (isSame(seen, job)) now = seen
    }
  } finally {
    tell(undefined)
  }
  if (now.state !== 'done' || !now.result) throw new Trouble(now.trouble ?? 'It was cancelled; nothing of it is kept.')
  return now.result
}
