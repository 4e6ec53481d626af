/** Hands data over as a file under a name. */
export function saveFile(data: Blob, name: string) {
  const href = URL.createObjectURL(data);
  Object.assign(document.createElement("a"), { href, download: name }).click();
  URL.revokeObjectURL(href);
}
