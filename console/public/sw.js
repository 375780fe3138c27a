// The service worker: shows the notices that the hub pushes, and opens the page that a notice is about.

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

self.addEventListener("push", (event) => {
  const notice = event.data ? event.data.json() : {};
  event.waitUntil(
    self.registration.showNotification(notice.title || "Hombi", {
      body: notice.text || "",
      icon: "/icon-192.png",
      badge: "/icon-192.png",
      timestamp: notice.at,
      // The same notice again takes the place of the one that is shown, and does not ring again.
      tag: notice.tag,
      renotify: false,
      data: { path: notice.path || "/" },
    }),
  );
});

self.addEventListener("notificationclick", (event) => {
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
