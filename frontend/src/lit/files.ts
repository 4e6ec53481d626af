/** Files that belong to a material's view and not to the library: kept in this browser, by material. */
const BASE = "amber-thicket";
const STORE = "shapes";

function opened(): Promise<IDBDatabase> {
  return new Promise((resolve, reject) => {
    const request = indexedDB.open(BASE, 1);
    request.onupgradeneeded = () => request.result.createObjectStore(STORE);
    request.onsuccess = () => resolve(request.result);
    request.onerror = () => reject(request.error ?? new Error("This browser keeps no files."));
  });
}

async function asked<T>(mode: IDBTransactionMode, ask: (store: IDBObjectStore) => IDBRequest<T>): Promise<T> {
  const base = await opened();
  try {
    return await new Promise((resolve, reject) => {
      const request = ask(base.transaction(STORE, mode).objectStore(STORE));
      request.onsuccess = () => resolve(request.result);
      request.onerror = () => reject(request.error ?? new Error("This browser keeps no files."));
    });
  } finally {
    base.close();
  }
}

/** Keeps the file of a material's own shape in the place of an older one. */
export const keepShapeFile = (material: string, file: File) => asked("readwrite", (store) => store.put(file, material));

/** The file of a material's own shape, if there is one. */
export const shapeFileOf = (material: string) =>
  asked<unknown>("readonly", (store) => store.get(material)).then((found) => (found instanceof File ? found : null));
