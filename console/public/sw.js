// The service worker. It keeps the console and the hub's last answers, so that a page is shown while the hub is away; it
// shows the notices that the hub pushes, and opens the page that a notice is about.

const SHELL = "hombi-shell-1";
const ANSWERS = "hombi-answers-1";
const PATIENCE_MS = 6_000;
const MOST_FILES = 80;
// What is enough to show the house. Everything else says that the hub does not answer.
const KEPT = /^\/api\/(session|house|entities|nodes|automations|arrivals|pairing|courses|journal)$/;

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => {
  event.waitUntil(
    (async () => {
      for (const name of await caches.keys())
        if (name !== SHELL && name !== ANSWERS) await caches.delete(name);
      await self.clients.claim();
    })(),
  );
});

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (url.origin !== self.location.origin) return;
  if (request.method === "DELETE" && url.pathname === "/api/session") {
    // Whoever signs out leaves nothing on the device.
    event.waitUntil(caches.delete(ANSWERS));
    return;
  }
  if (request.method !== "GET") return;
  if (request.mode === "navigate") event.respondWith(page(request));
  else if (url.pathname.startsWith("/assets/")) event.respondWith(file(request));
  else if (KEPT.test(url.pathname)) event.respondWith(answer(request));
});

/** The network's answer, or nothing when it does not come in time. */
async function fetched(request) {
  try {
    return await fetch(request, { signal: AbortSignal.timeout(PATIENCE_MS) });
  } catch {
    return null;
  }
}

/** A page: all of them are one document, and the last one that came is shown when none does. */
async function page(request) {
  const fresh = await fetched(request);
  const cache = await caches.open(SHELL);
  if (fresh?.ok && fresh.headers.has("Hombi-Page")) {
    await cache.put("/", fresh.clone());
    return fresh;
  }
  if (new URL(request.url).pathname.startsWith("/api/")) return fresh ?? Response.error();
  // What comes may be the sign-in page of a network: the console says so, when it is kept.
  return (await cache.match("/")) ?? fresh ?? Response.error();
}

/** A file of the console: its name changes with its content, so that it is never out of date. */
async function file(request) {
  const cache = await caches.open(SHELL);
  const known = await cache.match(request);
  if (known) return known;
  const fresh = await fetch(request);
  if (fresh.ok) {
    await cache.put(request, fresh.clone());
    const files = (await cache.keys()).filter((one) =>
      new URL(one.url).pathname.startsWith("/assets/"),
    );
    for (const old of files.slice(0, Math.max(0, files.length - MOST_FILES)))
      await cache.delete(old);
  }
  return fresh;
}

/** An answer of the hub's: the last one with its age, when none comes. */
async function answer(request) {
  const fresh = await fetched(request);
  const cache = await caches.open(ANSWERS);
  if (fresh?.status === 401) await caches.delete(ANSWERS);
  if (fresh?.ok) {
    const copy = fresh.clone();
    const headers = new Headers(copy.headers);
    headers.set("Hombi-Kept", String(Date.now()));
    await cache.put(request, new Response(await copy.blob(), { status: copy.status, headers }));
  }
  if (fresh) return fresh;
  return (await cache.match(request)) ?? Response.error();
}

self.addEventListener("push", (event) => {
  event.waitUntil(show(event.data ? event.data.json() : {}));
});

/**
 * A notice takes the place of the one about the same. It rings, unless it is quiet, or the
 * same one once more.
 */
async function show(notice) {
  const tag = notice.tag || "hombi";
  const shown = await self.registration.getNotifications({ tag });
  const again = shown.some((one) => one.data?.id === notice.id);
  const buttons = notice.buttons || [];
  await self.registration.showNotification(notice.title || "Hombi", {
    body: notice.text || "",
    icon: "/icon-192.png",
    badge: "/icon-192.png",
    timestamp: notice.at,
    tag,
    // A browser that does not reach the hub shows the notice without it.
    ...(notice.picture ? { image: notice.picture } : {}),
    silent: Boolean(notice.quiet),
    renotify: !notice.quiet && !again,
    requireInteraction: Boolean(notice.urgent),
    actions: buttons.map((one) => ({ action: one.do, title: one.label })),
    data: {
      id: notice.id,
      path: notice.path || "/",
      rights: Object.fromEntries(buttons.map((one) => [one.do, one.right])),
    },
  });
}

/** Press a button of a notice, with the right that came with it; nobody need be signed in. */
async function press(notification, action) {
  const { path, rights } = notification.data;
  let said = "The hub cannot be reached from here. Open the console at home.";
  try {
    const answer = await fetch("/api/notices/press", {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      credentials: "omit",
      body: JSON.stringify({ right: rights[action] }),
    });
    const found = await answer.json();
    said = answer.ok ? `Done: ${found.done}` : found.detail;
  } catch {
    // What cannot be reached is said below.
  }
  await self.registration.showNotification(notification.title, {
    body: said,
    icon: "/icon-192.png",
    badge: "/icon-192.png",
    tag: notification.tag,
    silent: true,
    data: { id: notification.data.id, path },
  });
}

self.addEventListener("notificationclick", (event) => {
  if (event.action && event.notification.data?.rights?.[event.action]) {
    event.waitUntil(press(event.notification, event.action));
    return;
  }
  event.notification.close();
  const path = event.notification.data?.path || "/";
  event.waitUntil(
    self.clients.matchAll({ type: "window", includeUncontrolled: true }).then((windows) => {
      const open = windows[0];
      if (!open) return self.clients.openWindow(path);
      // The page goes there by itself: a window keeps what the person had typed elsewhere until it is focused.
      open.postMessage({ open: path });
      return open.focus();
    }),
  );
});
