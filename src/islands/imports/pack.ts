import { Zip, ZipPassThrough } from 'fflate'

/** One zip or page is sent as it is; several files, or a folder, are packed into one zip in the browser. */
export async function packFiles(files: readonly File[]): Promise<File> {
  const [only] = files
  if (files.length === 1 && only !== undefined && only.webkitRelativePath === '' && !only.name.includes('/')) return only
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

/** Everything that was dropped, with folders opened up; each file carries its path below what was dropped. */
export async function filesDropped(dropped: DataTransfer): Promise<File[]> {
  // Entries must be asked for before the first pause: the browser empties the list after the event.
  const entries = [...dropped.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null)
  const [only] = entries
  const top = entries.length === 1 && only?.isDirectory === true ? await readFolder(only as FileSystemDirectoryEntry) : entries
  return (await Promise.all(top.map((entry) => filesUnder(entry, '')))).flat()
}

async function filesUnder(entry: FileSystemEntry, folder: string): Promise<File[]> {
  if (entry.isDirectory) {
    const inside = await readFolder(entry as FileSystemDirectoryEntry)
    return (await Promise.all(inside.map((each) => filesUnder(each, `${folder}${entry.name}/`)))).flat()
  }
  const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject))
  return [new File([file], folder + file.name, { type: file.type })]
}

/** A reader gives a hundred entries at a time, and none when it is through. */
async function readFolder(folder: FileSystemDirectoryEntry): Promise<FileSystemEntry[]> {
  const reader = folder.createReader()
  const found: FileSystemEntry[] = []
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject))
    if (some.length === 0) return found
    found.push(...some)
  }
}
