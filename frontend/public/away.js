// Stands in for the program while it cannot be reached: a page that says so, and nothing else is kept or answered.
const KEPT = "away-1";
const FILES = ["/offline.html", "/offline.css", "/offline.js"];

self.addEventListener("install", (event) => {
    event.waitUntil(caches.open(KEPT).then((cache) => cache.addAll(FILES)));
    self.skipWaiting();
});
self.addEventListener("activate", (event) => {
    const old = caches
        .keys()
        .then((names) => Promise.all(names.filter((name) => name !== KEPT).map((name) => caches.delete(name))));
    event.waitUntil(old.then(() => self.clients.claim()));
});
self.addEventListener("fetch", (event) => {
    const { pathname, origin } = new URL(event.request.url);
    if (event.request.mode === "navigate")
        event.respondWith(
            fetch(event.request).catch(async () => (await caches.match("/offline.html")) ?? Response.error()),
        );
    else if (origin === location.origin && FILES.includes(pathname))
        event.respondWith(fetch(event.request).catch(async () => (await caches.match(pathname)) ?? Response.error()));
});
