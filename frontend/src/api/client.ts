import createClient from 'openapi-fetch'
import type { components, paths } from '@/api/schema'

type Schemas = components['schemas']
export type Combination = Schemas['CombinationOut']
export type Layout = Schemas['LayoutOut']
export type Analysis = Schemas['AnalysisOut']
export type DriverFigures = Schemas['DriverFigures']
export type DriverLaps = Schemas['DriverLaps']
export type Strip = Schemas['StripOut']
export type StripLap = Schemas['StripLap']
export type Rung = Schemas['RungOut']
export type RungPart = Schemas['RungPartOut']
export type Group = Schemas['GroupOut']
export type Preview = Schemas['PreviewOut']
export type ImportResult = Schemas['ImportResultOut']
export type ImportWishes = Schemas['ImportWishes']
export type Import = Schemas['ImportOut']

export const api = createClient<paths>({ baseUrl: '/' })

/** An error with a sentence for people: what happened, and how to go on. */
export class Trouble extends Error {
  readonly status: number

  constructor(detail: string, status = 0) {
    super(detail)
    this.status = status
  }
}

type Answer<T> = { data?: T; error?: unknown; response: Response }

/** The data of an answer, or a `Trouble` that says what the server said. */
export async function answer<T>(request: Promise<Answer<T>>): Promise<T> {
  let result: Answer<T>
  try {
    result = await request
  } catch {
    throw new Trouble('The server does not answer. Is Fleet Rival still running? Start it with ./fleet demo, then try again.')
  }
  if (result.error !== undefined || !result.response.ok) {
    const problem = result.error as { detail?: string } | undefined
    throw new Trouble(problem?.detail ?? `The server answered with ${result.response.status}.`, result.response.status)
  }
  return result.data as T
}

/** Body of a request that carries one file. */
export function fileBody(file: File): { body: { file: string }; bodySerializer: () => FormData } {
  const form = new FormData()
  form.append('file', file)
  // The description calls a file in a form a binary string; what is sent is the form itself.
  return { body: { file: '' }, bodySerializer: () => form }
}
