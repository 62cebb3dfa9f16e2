import { createQuery } from '@tanstack/svelte-query'
import { api, data, RefusedError, type Column, type Problem, type Schemas } from '../../api/client'
import { all } from '../../api/queries'

export type Preview = Schemas['Preview']
export type Fault = Schemas['Fault']
export type Load = Schemas['Load']

/** What a column is used for; omit leaves it out. */
export type Use = Column['role'] | 'omit'

/** What is stated about files; empty is found out. */
export interface Stated {
  date_order: string
  numbers: string
  zone: string
  day_starts: string
  ambiguous: string
  epoch: string
  century: string
  grain: string
  encoding: string
  delimiter: string
  sheet: string
  header_row: string
  skip_footer: string
  blank: string
  trim: string
  allow_undated: string
  replace: string
  again: string
}

export const nothingStated = (): Stated => ({
  date_order: '',
  numbers: '',
  zone: '',
  day_starts: '',
  ambiguous: '',
  epoch: '',
  century: '',
  grain: '',
  encoding: '',
  delimiter: '',
  sheet: '',
  header_row: '',
  skip_footer: '',
  blank: '',
  trim: '',
  allow_undated: '',
  replace: '',
  again: '',
})

/** What a plan of loading says in the address of a call. */
export function paramsOf(
  stated: Stated,
  uses: Record<string, Use>,
  types: Record<string, Column['type']>,
  key: string[],
): URLSearchParams {
  const p = new URLSearchParams()
  for (const [name, value] of Object.entries(stated)) if (value !== '' && name !== 'blank') p.set(name, value as string)
  for (const word of stated.blank.split(',')) if (word.trim() !== '') p.append('blank', word.trim())
  const parameter = { day: 'date', amount: 'amount', category: 'category', detail: 'detail', omit: 'omit' } as const
  for (const [column, use] of Object.entries(uses)) p.append(parameter[use], column)
  for (const [column, type] of Object.entries(types)) if (uses[column] !== 'omit') p.append('type', `${column}=${type}`)
  for (const column of key) p.append('key', column)
  return p
}

/** The beginning of a file of text is enough to describe it, others are sent whole. */
const beginning = 4 << 20

async function sampleOf(file: File): Promise<Blob> {
  if (file.size <= beginning) return file
  const start = new Uint8Array(await file.slice(0, 4).arrayBuffer())
  const packed = [
    [0x1f, 0x8b],
    [0x28, 0xb5],
    [0x42, 0x5a],
    [0x50, 0x4b],
    [0x50, 0x41],
    [0xff, 0xfe],
    [0xfe, 0xff],
  ].some((mark) => mark.every((byte, i) => start[i] === byte))
  if (packed || start[0] === 0x5b) return file
  const head = new Uint8Array(await file.slice(0, beginning).arrayBuffer())
  const end = head.lastIndexOf(0x0a)
  return end < 0 ? file : file.slice(0, end + 1)
}

async function refusal(response: Response): Promise<RefusedError> {
  const problem = (await response.json().catch(() => null)) as Problem | null
  return new RefusedError(
    problem ?? {
      type: 'about:blank',
      code: 'no_answer',
      title: 'No answer',
      status: response.status,
      detail: `The service answered ${response.status}.`,
    },
  )
}

/** What the columns of a file are taken for, and what is wrong with its first values. */
export async function preview(dataset: string, file: File, p: URLSearchParams, signal: AbortSignal): Promise<Preview> {
  const asked = new URLSearchParams(p)
  for (const name of ['replace', 'key', 'again']) asked.delete(name)
  const response = await fetch(`/api/v1/datasets/${encodeURIComponent(dataset)}/preview?${asked}`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/octet-stream' },
    body: await sampleOf(file),
    signal,
  })
  if (!response.ok) throw await refusal(response)
  return (await response.json()) as Preview
}

export interface Sending {
  done: Promise<Load>
  cancel: () => void
}

/** Loads files as one, and tells how much has been sent; a load that is cancelled leaves nothing. */
export function load(dataset: string, files: File[], p: URLSearchParams, sent: (part: number) => void): Sending {
  const call = new XMLHttpRequest()
  const done = new Promise<Load>((resolve, reject) => {
    const params = new URLSearchParams(p)
    let body: FormData | File | undefined = files[0]
    if (files.length === 1 && files[0]) params.set('file', files[0].name)
    else {
      body = new FormData()
      for (const file of files) body.append('file', file)
    }
    call.open('POST', `/api/v1/datasets/${encodeURIComponent(dataset)}/loads?${params}`)
    if (files.length === 1) call.setRequestHeader('Content-Type', 'application/octet-stream')
    call.upload.onprogress = (e) => e.lengthComputable && sent(e.loaded / e.total)
    call.onload = () => {
      if (call.status === 201) resolve(JSON.parse(call.responseText) as Load)
      else refusal(new Response(call.responseText, { status: call.status })).then(reject, reject)
    }
    call.onerror = () => reject(new Error('The service does not answer.'))
    call.onabort = () => reject(new Error('Cancelled: nothing was loaded.'))
    call.send(body ?? null)
  })
  return { done, cancel: () => call.abort() }
}

/** A dataset's name from that of a file. */
export const datasetOf = (file: string): string =>
  file
    .toLowerCase()
    .replace(/(\.[a-z0-9]{1,7}){1,2}$/, '')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 60) || 'records'

export const useLoads = (dataset: () => string) =>
  createQuery(() => ({
    queryKey: ['loads', dataset()],
    queryFn: () =>
      all(async (query) =>
        data(await api.GET('/datasets/{name}/loads', { params: { path: { name: dataset() }, query } })),
      ),
    enabled: dataset() !== '',
  }))

/** How a file is written, in words. */
export function writtenText(w: Preview['written']): string {
  const format = { csv: 'CSV', json: 'JSON', xlsx: 'XLSX', parquet: 'Parquet' }[w.format] ?? w.format
  return [
    format,
    w.delimiter,
    w.encoding,
    w.sheet && `sheet ${w.sheet}`,
    w.header_row && `header in row ${w.header_row}`,
    w.compression && `compressed by ${w.compression}`,
  ]
    .filter(Boolean)
    .join(', ')
}
