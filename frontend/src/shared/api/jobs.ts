import { answer, api, Trouble, type Job } from '@/shared/api/client'

export const isJob = (value: object): value is Job => 'cancel_asked' in value
export const isOver = (job: Job) => !['waiting', 'running'].includes(job.state)

/** Wait until a job has ended, telling how far it is; a job that didn't do its work is a `Trouble`. */
export async function follow(job: Job, tell: (job: Job | undefined) => void): Promise<Job> {
  let now = job
  let wait = 120
  try {
    while (!isOver(now)) {
      tell(now)
      await new Promise((go) => setTimeout(go, wait))
      wait = Math.min(wait * 1.4, 1500)
      now = await answer(api.GET('/api/jobs/{job_id}', { params: { path: { job_id: job.id } } }))
    }
  } finally {
    tell(undefined)
  }
  if (now.state !== 'done') throw new Trouble(now.trouble ?? 'It was cancelled; nothing of it is kept.')
  return now
}
