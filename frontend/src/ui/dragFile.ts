/** What a file's kind is called, by how its name ends. */
const KINDS: Readonly<Record<string, string>> = {
  png: "image/png",
  jpg: "image/jpeg",
  tif: "image/tiff",
  exr: "image/x-exr",
  zip: "application/zip",
};

/** Lets a file be dragged out of the page to a folder, where the browser can; elsewhere its address goes along. */
export function dragFile(to: DataTransfer, name: string, address: string) {
  const kind = KINDS[name.split(".").pop()!.toLowerCase()] ?? "application/octet-stream";
  to.effectAllowed = "copy";
  to.setData("DownloadURL", `${kind}:${name}:${address}`);
  to.setData("text/uri-list", address);
}
