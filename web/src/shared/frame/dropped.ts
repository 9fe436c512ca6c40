/** Whether files or folders are dragged, and not text of the page. */
export const hasFiles = (event: DragEvent) => event.dataTransfer?.types.includes('Files') ?? false

/** The files of a drop, those in dropped folders too, each with its path in its folder. */
export async function filesOf(transfer: DataTransfer | null): Promise<File[]> {
  if (!transfer) return []
  const plain = [...transfer.files]
  // Entries must be asked for before the first wait: the list is emptied when the event is over.
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry?.() ?? null)
  if (!entries.some((entry) => entry?.isDirectory)) return plain
  const out: File[] = []
  for (const entry of entries) if (entry) await walk(entry, out)
  return out
}

async function walk(entry: FileSystemEntry, out: File[]): Promise<void> {
  if (entry.isFile) {
    const file = await new Promise<File>((done, failed) => (entry as FileSystemFileEntry).file(done, failed)).catch(
      () => null,
    )
    if (!file || file.name.startsWith('.')) return
    Object.defineProperty(file, 'webkitRelativePath', { value: entry.fullPath.replace(/^\//, '') })
    out.push(file)
    return
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader()
  for (;;) {
    // A reader hands out a hundred entries at a time.
    const part = await new Promise<FileSystemEntry[]>((done, failed) => reader.readEntries(done, failed)).catch(
      () => [],
    )
    if (!part.length) return
    for (const inner of part) await walk(inner, out)
  }
}
