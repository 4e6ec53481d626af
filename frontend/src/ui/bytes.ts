/** Bytes as people read them. */
export function sizeText(bytes: number): string {
  if (bytes < 1000) return `${bytes} bytes`;
  const units = ["kB", "MB", "GB", "TB"];
  let size = bytes / 1000;
  let unit = 0;
  while (size >= 999.95 && unit < units.length - 1) {
    size /= 1000;
    unit += 1;
  }
  return `${size.toFixed(1)} ${units[unit]}`;
}
