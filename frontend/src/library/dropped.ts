/** The files of a drop or a paste: folders are looked through, what is no picture is left out. */

const PICTURE =
  /\.(jpe?g|png|tiff?|webp|exr|hei[cf]|avif|jxl|jp2|j2k|tga|bmp|dds|ps[db]|hdr|p[pgbn]m|gif|dng|nef|cr[23]|arw|orf|rw2|raf|pef|srw|3fr|iiq|x3f|erf|mrw|nrw|kdc|dcr|mef|mos|rwl|srf|sr2)$/i;

/** Whether a file of a folder is worth reading; what is dropped by itself is read in any case, and told when it fails. */
export const isPicture = (name: string) => PICTURE.test(name) && !name.startsWith(".");

export async function filesOf(data: DataTransfer): Promise<File[]> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry?.() ?? null);
  if (!entries.some((entry) => entry?.isDirectory)) return [...data.files];
  const found: File[] = [];
  for (const entry of entries) if (entry) await gather(entry, found, true);
  return found;
}

async function gather(entry: FileSystemEntry, found: File[], alone: boolean) {
  if (entry.isFile) {
    if (!alone && !isPicture(entry.name)) return;
    found.push(await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject)));
    return;
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  for (;;) {
    // A reader gives its entries in parts, and an empty one at the end.
    const part = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (!part.length) return;
    for (const one of part.sort((a, b) => a.name.localeCompare(b.name, undefined, { numeric: true })))
      await gather(one, found, false);
  }
}
