import createClient from 'openapi-fetch'
import type { components, paths } from '@/shared/api/schema'
import { isAway } from '@/shared/away'

export type Schemas = components['schemas']
export type Combination = Schemas['CombinationOut']
export type CornerTyres = Schemas['CornerTyresOut']
export type DriverAccounts = Schemas['DriverAccountsOut']
export type DriverPace = Schemas['DriverPace']
export type PaceRun = Schemas['PaceRunOut']
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
export type ImportWishes = Schemas['ImportWishes']
export type Import = Schemas['ImportOut']
export type Job = Schemas['JobOut']
export type Entry = Schemas['EntryOut']
export type Me = Schemas['Entered']
export type Member = Schemas['MemberOut']
export type DriverRow = Schemas['DriverRowOut']
export type Found = Schemas['FoundOut']
export type Board = Schemas['BoardOut']
export type BoardColumn = Schemas['BoardColumn']
export type BoardCell = Schemas['BoardCell']
export type BoardDriver = Schemas['BoardDriver']
export type BoardNeed = Schemas['BoardNeed']
export type BoardDifference = Schemas['BoardDifference']
export type WeekEntry = Schemas['WeekEntryOut']
export type EntryChange = Schemas['EntryChange']
export type Importance = WeekEntry['importance']
export type Series = Schemas['SeriesOut']
export type SeriesWeek = Schemas['SeriesWeekOut']
export type WeekFacts = Schemas['WeekFacts']
export type SeasonPreview = Schemas['SeasonPreviewOut']
export type Car = Schemas['CarOut']
export type CarChange = Schemas['CarChange']
export type Profile = Schemas['ProfileOut']
export type ProfileChange = Schemas['ProfileChange']
export type Availability = Schemas['Availability']
export type Resource = Schemas['ResourceOut']
export type Practice = Schemas['PracticeOut']
export type Knowledge = Schemas['KnowledgeOut']
export type Book = Schemas['BookOut']
export type Corner = Schemas['CornerOut']
export type CornerChange = Schemas['CornerChange']
export type Reference = Schemas['ReferenceOut']
export type ReferenceChange = Schemas['ReferenceChange']
export type Question = Schemas['QuestionOut']
export type BookCheck = Schemas['CheckOut']
export type Outline = Schemas['OutlineOut']
export type PitLane = Schemas['PitLane']
export type DraftCorner = Schemas['DraftCorner']
export type SectorPart = Schemas['SectorPart']
export type Consequences = Schemas['ConsequencesOut']
export type Driven = Schemas['DrivenOut']
export type SessionLine = Schemas['SessionLineOut']
export type RunLine = Schemas['RunLineOut']
export type Run = Schemas['RunOut']
export type RunContext = Schemas['RunContextForm']
export type RunTemplate = Schemas['TemplateOut']
export type RunSheet = Schemas['RunSheetOut']
export type LapOnSheet = Schemas['LapOnSheetOut']
export type LapFacts = Schemas['LapFacts']
export type Mark = LapOnSheet['marks'][number]['mark']
export type Lane = Schemas['LaneOut']
export type KeptLap = Schemas['KeptLapOut']
export type Clip = Schemas['ClipOut']
export type AskedLap = Schemas['AskedLapOut']
export type Mapping = Schemas['MappingOut']
export type TableMapping = Schemas['TableMapping']
export type Upload = Schemas['UploadOut']
export type FoundLayout = Schemas['FoundLayoutOut']
export type TracedLap = Schemas['TracedLapOut']
export type Overlay = Schemas['OverlayOut']
export type OverlaidLap = Schemas['OverlaidOut']
export type LiveRun = Schemas['LiveRunOut']
/** What isn't named stays as it was. */
export type Preferences = Partial<Schemas['Preferences']>
export type Role = Member['role']

const NO_ANSWER = 'The server does not answer. What you typed is kept here; try again in a moment.'
const NO_DATABASE = 'The database can’t be reached at the moment.'

export const api = createClient<paths>({ baseUrl: '/' })

/** Answers that nothing was to be changed by. */
const ofReads = new WeakSet<Response>()
let csrfToken = ''
let onSignedOut = () => {}

/** What pages show beside the cookie whenever they change something. */
export function showToken(token: string) {
  csrfToken = token
}
/** What to do when the server no longer knows who is signed in. */
export function whenSignedOut(act: () => void) {
  onSignedOut = act
}
api.use({
  onRequest({ request }) {
    if (csrfToken && request.method !== 'GET') request.headers.set('X-Fleet-Rival-Token', csrfToken)
    return request
  },
  onResponse({ response, request }) {
    if (request.method === 'GET') ofReads.add(response)
    if (response.status === 401 && !new URL(request.url).pathname.startsWith('/api/me')) onSignedOut()
  },
})

/** Headers of a change, for what doesn't go through the client. */
export const changing = (): Record<string, string> => ({ 'X-Fleet-Rival-Token': csrfToken })

/** An error with a sentence for people: what happened, and how to go on. */
export class Trouble extends Error {
  readonly status: number
  readonly requestId: string | undefined
  /** Which kind of problem, where the server told one. */
  readonly kind: string
  /** For what somebody else changed meanwhile: how it is now. */
  readonly current: unknown
  /** Whether it was only asked for something. */
  readonly ofRead: boolean

  constructor(detail: string, status = 0, requestId?: string, current?: unknown, kind = '', ofRead = false) {
    super(detail)
    this.status = status
    this.requestId = requestId
    this.current = current
    this.kind = kind
    this.ofRead = ofRead
  }
}

/** Whether nothing of what was asked was done since the database is away, so that the same may be asked again. */
export const wasAway = (error: Error): boolean => error instanceof Trouble && error.kind.endsWith(':away')

/** How somebody else left a thing meanwhile, where an error says so. */
export const theirsOf = <T>(error: Error | null | undefined): T | undefined =>
  error instanceof Trouble && error.status === 412 ? (error.current as T) : undefined

type Answer<T> = { data?: T; error?: unknown; response: Response }

/** The data of an answer, or a `Trouble` that says what the server said. */
export async function answer<T>(request: Promise<Answer<T>>): Promise<T> {
  let result: Answer<T>
  try {
    result = await request
  } catch {
    isAway()
    throw new Trouble(NO_ANSWER)
  }
  if (result.error !== undefined || !result.response.ok) {
    const problem = result.error as
      { detail?: string; request_id?: string; current?: unknown; type?: string } | undefined
    const kind = problem?.type ?? ''
    if (kind.endsWith(':away') || kind.endsWith(':unsure')) isAway(NO_DATABASE)
    throw new Trouble(
      problem?.detail ?? `The server answered with ${result.response.status}.`,
      result.response.status,
      problem?.request_id,
      problem?.current,
      kind,
      ofReads.has(result.response),
    )
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

/** Send one file, and tell how much of it is on its way (0 to 1). */
export function sendFile<T>(path: string, file: File, tell: (share: number) => void): Promise<T> {
  return new Promise((done, fail) => {
    const request = new XMLHttpRequest()
    const form = new FormData()
    form.append('file', file)
    request.open('POST', path)
    request.responseType = 'json'
    request.setRequestHeader('X-Fleet-Rival-Token', csrfToken)
    request.upload.onprogress = (event) => event.lengthComputable && tell(event.loaded / event.total)
    request.onerror = () => {
      isAway()
      fail(new Trouble(NO_ANSWER))
    }
    request.onload = () => {
      if (request.status < 300) return done(request.response as T)
      const problem = request.response as { detail?: string; request_id?: string; type?: string } | null
      if (request.status === 401) onSignedOut()
      fail(
        new Trouble(
          problem?.detail ?? `The server answered with ${request.status}.`,
          request.status,
          problem?.request_id,
          undefined,
          problem?.type,
        ),
      )
    }
    request.send(form)
  })
}

/** The header that says which version was looked at. */
export const version = (number: number) => ({ 'If-Match': `"${number}"` })
