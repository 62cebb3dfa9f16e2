import type { Load, Sending } from './files'
import { load } from './files'

// Files that are being loaded go on whatever page is shown; every page shows them until they are put away.
export interface Uploading {
  id: number
  dataset: string
  files: string
  part: number // of what has been sent, from 0 to 1
  state: 'sending' | 'loaded' | 'failed'
  load: Load | null
  error: Error | null
  done: Promise<Load>
  cancel: () => void
}

export const uploads: { list: Uploading[] } = $state({ list: [] })

let serial = 0

/** Begins to load files into a dataset, and returns how far that is. */
export function begin(dataset: string, files: File[], params: URLSearchParams): Uploading {
  const id = ++serial
  const find = () => uploads.list.find((u) => u.id === id)
  const sending: Sending = load(dataset, files, params, (part) => {
    const upload = find()
    if (upload) upload.part = part
  })
  const done = sending.done.then(
    (made) => {
      const upload = find()
      if (upload) Object.assign(upload, { state: 'loaded', load: made })
      return made
    },
    (error: unknown) => {
      const upload = find()
      if (upload) Object.assign(upload, { state: 'failed', error: error as Error })
      throw error
    },
  )
  done.catch(() => undefined) // it is shown
  const names = files.map((f) => f.name).join(', ')
  uploads.list.push({
    id,
    dataset,
    files: names,
    part: 0,
    state: 'sending',
    load: null,
    error: null,
    done,
    cancel: sending.cancel,
  })
  return uploads.list[uploads.list.length - 1]!
}

/** Puts an upload away that has ended. */
export function dismiss(id: number) {
  uploads.list = uploads.list.filter((u) => u.id !== id)
}

/** Asks before the page is left or closed while files are being sent. */
export function keepSending(event: BeforeUnloadEvent) {
  if (uploads.list.some((u) => u.state === 'sending')) event.preventDefault()
}
