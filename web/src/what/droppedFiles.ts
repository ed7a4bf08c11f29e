/** All files of a drop, those of folders under their paths. */
export async function filesOfDrop(data: DataTransfer): Promise<{ path: string; file: File }[]> {
  const entries = [...data.items].map((i) => i.webkitGetAsEntry()).filter((e) => e !== null)
  return (await Promise.all(entries.map((e) => filesOf(e)))).flat()
}

async function filesOf(entry: FileSystemEntry): Promise<{ path: string; file: File }[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((done, fail) =>
      (entry as FileSystemFileEntry).file(done, fail),
    )
    return [{ path: entry.fullPath.replace(/^\//, ''), file }]
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader()
  const found: { path: string; file: File }[] = []
  for (;;) {
    // A folder is read in portions until one comes back empty.
    const some = await new Promise<FileSystemEntry[]>((done, fail) =>
      reader.readEntries(done, fail),
    )
    if (!some.length) return found
    found.push(...(await Promise.all(some.map(filesOf))).flat())
  }
}
