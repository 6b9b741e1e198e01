/** A file to import with its path inside what was chosen or dropped. */
export type Upload = { path: string; file: File }

/** Files of an input; those of a folder input carry their path. */
export function fromInput(files: FileList | null): Upload[] {
  return Array.from(files ?? []).map((file) => ({ path: file.webkitRelativePath || file.name, file }))
}

/** Files and folders that were dropped, folders with everything in them. */
export async function fromDrop(transfer: DataTransfer): Promise<Upload[]> {
  const entries = Array.from(transfer.items)
    .map((item) => item.webkitGetAsEntry())
    .filter((entry) => entry !== null)
  return (await Promise.all(entries.map(walk))).flat()
}

async function walk(entry: FileSystemEntry): Promise<Upload[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((done, failed) => (entry as FileSystemFileEntry).file(done, failed))
    return [{ path: entry.fullPath.replace(/^\//, ''), file }]
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader()
  const found: FileSystemEntry[] = []
  // A reader gives at most a hundred entries at a time, and none at the end.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((done, failed) => reader.readEntries(done, failed))
    if (some.length === 0) break
    found.push(...some)
  }
  return (await Promise.all(found.map(walk))).flat()
}
