import createClient from 'openapi-fetch'
import { reach } from './line'
import type { components, paths } from './schema'

export type Schemas = components['schemas']

/** The HTTP API, typed from its description. */
export const api = createClient<paths>({ baseUrl: '/', fetch: (request) => reach(request) })

/** A refusal or failure in words that a person can read. */
export class Problem extends Error {
  constructor(
    message: string,
    public status: number,
    /** Where somebody else changed the thing meanwhile: what he did. */
    public conflict?: Conflict,
  ) {
    super(message)
  }
}

/** What somebody else changed in a thing while a person did. */
export interface Conflict {
  /** of the thing as it is now */
  revision: number
  /** its number or code */
  thing: string
  who: string
  at: number
  changed: { field: string; was: unknown; is: unknown }[]
}

interface ProblemDetails extends Partial<Conflict> {
  detail?: string
  title?: string
  status?: number
  errors?: { message?: string; location?: string }[] | null
}

/** Turns problem details (RFC 9457) into a Problem. */
export function problemOf(details: ProblemDetails | undefined, status: number): Problem {
  const more = details?.errors?.map((e) => [e.location, e.message].filter(Boolean).join(': ')).join('; ')
  return new Problem(
    [details?.detail ?? details?.title ?? 'The server did not answer as expected.', more].filter(Boolean).join(' '),
    details?.status ?? status,
    details?.changed ? (details as Conflict) : undefined,
  )
}

/** What a call that got no answer, or none that is JSON, says to a person. */
function unreadable(e: unknown): Problem {
  return e instanceof SyntaxError
    ? new Problem(
        'What came back is no answer of Ensomet: something between here and there may be in the way. Nothing that ' +
          'you typed is lost; try again, and tell whoever runs it here if it stays.',
        0,
      )
    : new Problem('The server cannot be reached. What you typed is still here; try again in a moment.', 0)
}

/** The JSON of an answer, or what is wrong in words. */
async function bodyOf<T>(call: Promise<Response>): Promise<T> {
  let answer: Response
  let body: unknown
  try {
    answer = await call
    body = await answer.json()
  } catch (e) {
    if (e instanceof DOMException && e.name === 'AbortError') throw e // somebody stopped it
    throw unreadable(e)
  }
  if (!answer.ok) throw problemOf(body as ProblemDetails, answer.status)
  return body as T
}

/** Sends a file as it is. */
export const sendBody = <T>(path: string, body: Blob, signal?: AbortSignal): Promise<T> =>
  bodyOf<T>(reach(path, { method: 'POST', body, signal }))

/** Unwraps an answer of the client: the data, or a thrown Problem. */
export async function ask<T>(call: Promise<{ data?: T; error?: ProblemDetails; response: Response }>): Promise<T> {
  let answer
  try {
    answer = await call
  } catch (e) {
    throw unreadable(e)
  }
  if (answer.error !== undefined || answer.data === undefined) {
    throw problemOf(answer.error, answer.response.status)
  }
  return answer.data
}

/** The rows of each list. */
export interface Lists {
  devices: Schemas['DeviceRow']
  names: Schemas['NameRow']
  products: Schemas['ProductRow']
  publishers: Schemas['PublisherRow']
  releases: Schemas['ReleaseRow']
  positions: Schemas['PositionRow']
  entitlements: Schemas['EntitlementRow']
  cases: Schemas['CaseRow']
  use: Schemas['UseRow']
  pools: Schemas['PoolRow']
  savings: Schemas['SavingRow']
  potential: Schemas['SavingRow']
  asides: Schemas['AsideRow']
  changes: Schemas['ChangeRow']
  'scan-orders': Schemas['OrderRow']
  deliveries: Schemas['Delivery']
  moves: Schemas['MoveRow']
  people: Schemas['PersonRow']
  mail: Schemas['Mail']
  seats: Schemas['SeatRow']
  keys: Schemas['KeyRow']
}

export interface ListQuery {
  q?: string
  f?: string[]
  sort?: string
  desc?: boolean
  /** fields of the house's own that are read besides, as own:NAME */
  own?: string[]
}

export interface Page<T> {
  rows: T[]
  next: string
  total: number
  stale: number
  never: number
  /** there are more than total, and nobody has counted the rest */
  more?: boolean
  parts: Schemas['Part'][]
  own: string[][]
}

function search(query: ListQuery, more: Record<string, string> = {}): string {
  const p = new URLSearchParams(more)
  if (query.q) p.set('q', query.q)
  for (const f of query.f ?? []) p.append('f', f)
  if (query.sort) p.set('sort', query.sort)
  if (query.desc) p.set('desc', 'true')
  for (const o of query.own ?? []) p.append('own', o.replace(/^own:/, ''))
  return p.toString()
}

/** Reads one page of a list. */
export async function readList<K extends keyof Lists>(
  name: K,
  query: ListQuery,
  cursor: string,
  limit = 100,
): Promise<Page<Lists[K]>> {
  const more: Record<string, string> = { limit: String(limit), count: 'some' }
  if (cursor) more.cursor = cursor
  const page = await bodyOf<Page<Lists[K]>>(reach(`/api/${name}?${search(query, more)}`))
  // fields of the house's own stand in the row, under own: and their name
  const own = query.own ?? []
  if (own.length)
    page.rows = page.rows.map((row, i) => ({
      ...row,
      ...Object.fromEntries(own.map((o, k) => [o, page.own[i]?.[k] ?? ''])),
    }))
  return page
}

/** Counts all rows of a list, which may take long. */
export async function countList(name: keyof Lists, query: ListQuery, signal: AbortSignal): Promise<Page<unknown>> {
  return bodyOf<Page<unknown>>(reach(`/api/${name}?${search(query, { limit: '1' })}`, { signal }))
}

/** Counts the rows of a list by the values of a column. */
export async function splitList<K extends keyof Lists>(name: K, query: ListQuery, by: string): Promise<Page<Lists[K]>> {
  return bodyOf<Page<Lists[K]>>(reach(`/api/${name}?${search(query, { limit: '1', split: by })}`))
}

/** The address of a list as a file. */
export function listFile(name: keyof Lists, query: ListQuery, format: 'csv' | 'xlsx' | 'json'): string {
  return `/api/${name}.${format}?${search(query)}`
}

/** How a file is to be taken in. */
export interface Sending {
  kind: string
  dry: boolean
  device?: string
  mapping?: Mapping
}

/**
 * Sends a file to be taken in, or to be looked at only. It can be stopped through the signal; then nothing is stored.
 */
export async function sendFile(file: File, how: Sending, signal: AbortSignal): Promise<Schemas['ImportResult']> {
  const p = new URLSearchParams({ file: file.name, dry: String(how.dry) })
  if (how.device) p.set('device', how.device)
  if (how.mapping) p.set('mapping', JSON.stringify(how.mapping))
  return sendBody<Schemas['ImportResult']>(`/api/import/${how.kind}?${p}`, file, signal)
}

/** The beginning of a table is enough to tell what it is; a workbook or a document is sent whole. */
const beginning = 256 * 1024

/** Asks what a file seems to be: its kind, its columns, and what they are proposed to mean. */
export async function lookAtFile(file: File, kind: string): Promise<FileLook> {
  const text = /\.(csv|tsv|txt|ldif)$/i.test(file.name)
  return sendBody<FileLook>(`/api/files/look?${new URLSearchParams({ kind })}`, text ? file.slice(0, beginning) : file)
}

/** What a file seems to be. */
export interface FileLook {
  form: string
  kind: string
  needs: boolean
  saved: boolean
  device: boolean
  columns: { header: string; column: string; why: string; sample: string[] }[]
  own: string[]
  required: string[]
  mapping?: Mapping
}

/** How the columns of a foreign file are called here. */
export interface Mapping {
  columns: Record<string, string>
  constants?: Record<string, string>
}
