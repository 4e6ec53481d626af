/** What this browser remembers. Where there is no room, what belongs to single materials goes first. */
const OF_MATERIALS = /^(lit|views)-of-/;

export function recall<T>(key: string): Partial<T> | null {
  try {
    return JSON.parse(localStorage.getItem(key) ?? "null") as Partial<T> | null;
  } catch {
    return null;
  }
}

export function remember(key: string, value: unknown) {
  const text = JSON.stringify(value);
  try {
    localStorage.setItem(key, text);
  } catch {
    for (const other of Object.keys(localStorage)) if (OF_MATERIALS.test(other)) localStorage.removeItem(other);
    try {
      localStorage.setItem(key, text);
    } catch {
      // Then it is forgotten with the page.
    }
  }
}
