import { Zip, ZipPassThrough } from 'fflate'

/** One zip or page is sent as it is; several files, or a folder, are packed into one zip in the browser. */
export async function packFiles(files: readonly File[]): Promise<File> {
  const [only] = files
  if (files.length === 1 && only !== undefined) return only
  const parts: BlobPart[] = []
  const zip = new Zip((error, chunk) => {
    if (error !== null) throw error
    parts.push(chunk as Uint8Array<ArrayBuffer>)
  })
  for (const file of files) {
    // The chosen folder's own name is no part of the addresses.
    const name = file.webkitRelativePath === '' ? file.name : file.webkitRelativePath.replace(/^[^/]*\//, '')
    const entry = new ZipPassThrough(name)
    zip.add(entry)
    entry.push(new Uint8Array(await file.arrayBuffer()), true)
  }
  zip.end()
  return new File(parts, 'folder.zip', { type: 'application/zip' })
}
