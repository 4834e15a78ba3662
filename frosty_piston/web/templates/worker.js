/* Answers for the server while it does not: pages that were seen, as they were seen, and presses kept until they
   can be sent. */
"use strict";
importScripts("/static/vendor/idb-8.0.4.umd.js", "/static/js/acts.js?{{ version }}");
acts.workshop = "{{ workshop_id }}";
const CACHE = "piston-{{ workshop_id }}-{{ version }}", PATIENCE_MS = 6000, MOST_PAGES = 400;

self.addEventListener("install", (event) => event.waitUntil(self.skipWaiting()));
self.addEventListener("activate", (event) => event.waitUntil((async () => {
  for (const name of await caches.keys()) if (name !== CACHE) await caches.delete(name);
  await self.clients.claim();
})()));

const isPage = (answer) => answer.status === 200 && !answer.redirected && (answer.headers.get("content-type") || "").startsWith("text/html");

async function keep(url, answer) {
  const cache = await caches.open(CACHE), headers = new Headers(answer.headers), page = await answer.text();
  headers.set("x-seen-at", new Date().toISOString());
  await cache.put(url, new Response(page, { status: 200, headers }));
  const who = /<body [^>]*data-who="([^"]*)"/.exec(page);
  if (who) await acts.noteDown("who", who[1]);
  const keys = (await cache.keys()).filter((r) => !new URL(r.url).pathname.startsWith("/static/"));
  for (const old of keys.slice(0, Math.max(0, keys.length - MOST_PAGES))) await cache.delete(old);
}

async function seen(url) {
  const kept = await (await caches.open(CACHE)).match(url);
  if (!kept) return null;
  const page = (await kept.text()).replace("<body ", '<body data-seen-at="' + kept.headers.get("x-seen-at") + '" ');
  return new Response(page, { status: 200, headers: kept.headers });
}

const NOT_SEEN = new Response(`<!doctype html><html lang="en-GB"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<link rel="stylesheet" href="/static/css/frost.css?{{ version }}"><title>No connection · Frosty Piston</title>
<main class="single"><h1>No connection</h1><p class="lead">The server does not answer, and this page has not been opened on this device before.</p>
<p><a class="button is-frost" href="/">To the yard</a></p></main></html>`, { status: 503, headers: { "content-type": "text/html; charset=utf-8" } });

async function page(event) {
  const url = event.request.url;
  const asked = fetch(event.request).then(async (answer) => {
    if (isPage(answer)) event.waitUntil(keep(url, answer.clone()));
    return answer;
  });
  asked.catch(() => undefined);
  const late = new Promise((done) => setTimeout(done, PATIENCE_MS)).then(() => seen(url));
  try {
    return (await Promise.race([asked, late])) || (await asked);
  } catch (error) {
    return (await seen(url)) || NOT_SEEN.clone();
  }
}

/* A form that was sent as a page: where it cannot be sent it is kept, and the page it came from is shown again. */
async function press(event) {
  const request = event.request, sent = request.clone();
  const leaves = new URL(request.url).pathname === "/leave";
  try {
    if (leaves) await caches.delete(CACHE);
    const answer = await fetch(request);
    if (leaves) await caches.delete(CACHE);   /* pages that were asked for before may have come meanwhile */
    return answer;
  } catch (error) {
    if (!(sent.headers.get("content-type") || "").startsWith("application/x-www-form-urlencoded") || new URL(sent.url).pathname === "/enter") return NOT_SEEN.clone();
    const pairs = [...new URLSearchParams(await sent.text()).entries()], given = Object.fromEntries(pairs), url = new URL(sent.url).pathname;
    const by = url === "/who" ? given.who : await acts.note("who");
    if (url === "/who") await acts.noteDown("who", by);
    const from = sent.referrer ? new URL(sent.referrer).pathname + new URL(sent.referrer).search : "/";
    const says = { "/jobs": "New job", "/who": "At work: " + given.who, "/look": "Look of the pages" }[url] || (url.endsWith("/tick") ? "Caution read and understood" : given.text || given.what || given.value || given.name || "Form");
    await acts.add({ key: given.entry_id || given.job_id || crypto.randomUUID(), url, pairs, at: new Date().toISOString(), by: by || "", says, page: from, form: "" });
    return Response.redirect(from, 303);
  }
}

async function still(event) {
  const cache = await caches.open(CACHE), there = await cache.match(event.request);
  if (there) return there;
  const answer = await fetch(event.request);
  if (answer.status === 200) await cache.put(event.request, answer.clone());
  return answer;
}

self.addEventListener("fetch", (event) => {
  const url = new URL(event.request.url);
  if (url.origin !== self.location.origin) return;
  if (event.request.method === "POST") { if (event.request.mode === "navigate") event.respondWith(press(event)); return; }
  if (url.pathname.startsWith("/static/")) event.respondWith(still(event));
  else if (event.request.mode === "navigate" && !url.pathname.startsWith("/api/")) event.respondWith(page(event));
});

/* A page that was written into is read again, so that what is shown without the server is what stands. */
self.addEventListener("message", (event) => {
  const url = new URL(event.data.seen || "/", self.location.origin);
  if (!event.data.seen || url.origin !== self.location.origin) return;
  event.waitUntil(fetch(url.href, { credentials: "same-origin" }).then((answer) => (isPage(answer) ? keep(url.href, answer) : undefined)).catch(() => undefined));
});
