import { sendFile, Trouble, type Preview } from '@/shared/api/client'

const MOST_BYTES = 50_000_000
/** Files that came together, or in one zip: each is looked at, and goes in, on its own. */
export interface Queued {
  name: string
  id: string | null
  trouble: string
  done: string
}
function tooLarge(file: File) {
  // Told before it is sent: the server would break off in the middle.
  return file.size > MOST_BYTES
    ? `${file.name} has ${Math.ceil(file.size / 1e6)} MB; up to 50 MB are taken. Split it by session and add the parts.`
    : ''
}
/** Send a lap file, or a zip of some, to a combination. */
export async function sendOne(
  combination: string,
  file: File,
  tell: (share: number) => void,
  seen: (made: Preview) => void,
): Promise<Queued[]> {
  const large = tooLarge(file)
  if (large) throw new Trouble(large)
  const path = `/api/combinations/${combination}`
  if (await isZip(file)) {
    const found = await sendFile<{ items: { name: string; id: string | null; refused: string | null }[] }>(
      `${path}/lap-archives`,
      file,
      tell,
    )
    return found.items.map((item) => ({ name: item.name, id: item.id, trouble: item.refused ?? '', done: '' }))
  }
  const made = await sendFile<Preview>(`${path}/lap-files`, file, tell)
  seen(made)
  return [{ name: made.name, id: made.id, trouble: '', done: '' }]
}
/** A zip of files begins like a spreadsheet, which is one too: the name tells them apart, the server looks inside. */
async function isZip(file: File): Promise<boolean> {
  const head = new Uint8Array(await file.slice(0, 4).arrayBuffer())
  return head[0] === 0x50 && head[1] === 0x4b && !/\.(xlsx|ods|xlsm)$/i.test(file.name)
}
