/* What is pressed is kept before it is sent, in order, until the server has answered; what is typed stays over a
   reload. One bar in view says what waits and what was not taken. */
(function () {
  "use strict";
  const body = document.body, PATIENCE_MS = 25000, LOOK_MS = 3000;
  htmx.config.timeout = PATIENCE_MS;

  const here = window.location.pathname + window.location.search;
  const underWay = new Map();      /* key of an act to its form, while this page is sending it */
  /* Keys that were answered. The page may be left before the browser has let go of their acts. */
  const OVER = "piston-answered", over = new Set(JSON.parse(sessionStorage.getItem(OVER) || "[]"));
  function answered(key) {
    over.add(key);
    sessionStorage.setItem(OVER, JSON.stringify([...over].slice(-60)));
    return acts.drop(key);
  }
  let list = [], shown = "", cut = Boolean(body.dataset.seenAt), sending = false, why = "";

  const el = (tag, text, cls) => Object.assign(document.createElement(tag), { textContent: text || "", className: cls || "" });
  const isCell = (form) => form.classList.contains("cell");
  const pairsOf = (form, button) => {
    const pairs = [...new FormData(form).entries()].map(([k, v]) => [k, v instanceof File ? v : String(v)]);
    if (button && button.name) pairs.push([button.name, button.value]);
    return pairs;
  };
  const told = (v) => (v instanceof File ? [v.name, v.size, v.lastModified] : v);
  const contentOf = (pairs) => JSON.stringify(pairs.filter(([k]) => k !== "entry_id").map(([k, v]) => [k, told(v)]));
  const bodyOf = (pairs) => {
    if (!pairs.some(([, v]) => v instanceof File)) return new URLSearchParams(pairs);
    const body = new FormData();
    for (const [k, v] of pairs) body.append(k, v);
    return body;
  };

  function saysOf(form, pairs, button) {
    const files = pairs.filter(([, v]) => v instanceof File && v.size);
    if (files.length) return files.length === 1 ? "Picture: " + short(files[0][1].name) : files.length + " pictures";
    const typed = [...form.elements].find((x) => x.name && x.type !== "hidden" && x.tagName !== "BUTTON" && x.value && pairs.some(([k, v]) => k === x.name && v === x.value));
    const label = typed && (typed.labels && typed.labels[0] ? typed.labels[0].firstChild.textContent.trim() : typed.name);
    return typed ? label + ": " + short(typed.value) : button ? short(button.textContent.trim()) : "Form";
  }

  function actOf(form, button) {
    const pairs = pairsOf(form, button), content = contentOf(pairs), on = [...underWay].find(([, x]) => x.form === form && x.content === content);
    const own = pairs.find(([k]) => k === "entry_id");
    const key = on ? on[0] : isCell(form) || !own ? crypto.randomUUID() : own[1];
    return { key, content, known: Boolean(on), act: {
      key, url: new URL(form.action, window.location.href).pathname, pairs: [...pairs.filter(([k]) => k !== "entry_id"), ["entry_id", key]],
      at: new Date().toISOString(), by: body.dataset.who, says: saysOf(form, pairs, button), page: here, form: form.id } };
  }

  const open = (act) => !act.refused && !underWay.has(act.key) && !over.has(act.key);
  const waiting = () => list.filter(open);
  async function look() {
    list = await acts.all();
    for (const act of list) if (over.has(act.key)) acts.drop(act.key);
    show();
  }

  /* A press of a form that answers into the page. */
  document.addEventListener("htmx:confirm", (event) => {
    const form = event.detail.elt.closest && event.detail.elt.closest("form[data-entry]");
    if (!form || event.detail.verb !== "post") return;
    const button = event.detail.triggeringEvent && event.detail.triggeringEvent.submitter, { key, content, known, act } = actOf(form, button);
    if (!known) {
      if (isCell(form)) for (const [old, x] of [...underWay]) if (x.form === form && !x.sent) { underWay.delete(old); answered(old); }
      acts.add(act);
      underWay.set(key, { form, content, sent: false });
    }
    if (!cut) return;
    event.preventDefault();
    kept(key);
  });

  document.addEventListener("htmx:configRequest", (event) => {
    const form = event.detail.elt.closest && event.detail.elt.closest("form[data-entry]");
    if (!form || event.detail.verb !== "post") return;
    const own = [...underWay].reverse().find(([, x]) => x.form === form && !x.sent);
    if (!own) return;
    own[1].sent = true;
    event.detail.parameters["entry_id"] = own[0];
    event.detail.headers["X-Act"] = own[0];
  });

  document.addEventListener("htmx:afterRequest", (event) => {
    const key = event.detail.requestConfig.headers["X-Act"], status = event.detail.xhr.status;
    if (!key) return;
    if (notNow(status)) { cut = status === 0; why = held(status, event.detail.xhr.responseText); kept(key); return; }
    const on = underWay.get(key);
    underWay.delete(key);
    answered(key);
    cut = false;
    if (on && event.detail.successful) forget(on.form);
    if (event.detail.successful) seenAgain();
  });
  document.addEventListener("htmx:sendError", (event) => event.stopPropagation());
  /* No server, nobody signed in, no room or no turn in time: what was pressed is kept here and sent again. */
  const notNow = (status) => status === 0 || status === 401 || status === 429 || status === 503 || status === 507;
  document.addEventListener("htmx:beforeSwap", (event) => {
    if (event.detail.requestConfig.headers["X-Act"] && notNow(event.detail.xhr.status)) event.detail.shouldSwap = false;
  });

  /* Why it could not be saved yet, in the server's own sentence: a full disk does not mend itself. */
  const held = (status, page) => status === 503 || status === 507 ? reason(page) : "";
  const short = (text) => text.length > 60 ? text.slice(0, 59).trimEnd() + "\u2026" : text;

  /* Kept here: said where it was typed, and the form is free for the next one. */
  function kept(key) {
    const on = underWay.get(key);
    underWay.delete(key);
    if (on) {
      forget(on.form);
      const id = on.form.querySelector('[name="entry_id"]');
      if (id) id.value = crypto.randomUUID();
      for (const button of on.form.querySelectorAll("button:disabled")) button.disabled = false;
      if (!isCell(on.form)) on.form.reset();
    }
    look().then(send);
  }

  function mark(act) {
    const form = act.page === here && act.form && document.getElementById(act.form);
    if (!form) return;
    if (isCell(form)) {
      const field = form.querySelector(".value"), head = form.querySelector(".verdict-head"), value = (act.pairs.find(([k]) => k === "value") || [])[1];
      if (document.activeElement !== field) field.value = value;
      if (head) { head.textContent = act.refused ? "Not accepted: " + act.refused : "Kept here, will send"; head.classList.add("kept-here"); }
      return;
    }
    form.append(el("p", (act.refused ? "Not accepted: " : "Kept here, will send: ") + act.says, "kept-here"));
  }

  const signOf = () => list.map((x) => x.key + (x.refused || "")).join(" ") + why;
  function show() {
    shown = signOf();
    const box = document.getElementById("outbox"), refused = list.filter((x) => x.refused), stays = waiting();
    for (const old of document.querySelectorAll("p.kept-here:not(.verdict-head)")) old.remove();
    [...stays, ...refused].forEach(mark);
    box.hidden = !stays.length && !refused.length && !body.dataset.seenAt;
    const unfolded = Boolean(box.querySelector("details[open]"));
    box.replaceChildren();
    if (body.dataset.seenAt) box.append(el("p", "Offline. This page is from " + new Date(body.dataset.seenAt).toLocaleString("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" }) + ". What you write is kept here and sent later."));
    const other = stays.filter((x) => body.dataset.signed && x.by !== body.dataset.who);
    if (stays.length && why) box.append(el("p", why));
    if (stays.length) {
      const fold = el("details"), names = [...new Set(other.map((x) => x.by || "no name"))];
      fold.append(el("summary", "Kept here, will send: " + stays.length + (stays.length === 1 ? " entry" : " entries") + (names.length ? ". Sent when " + names.join(" and ") + " signs in" : "")));
      const rows = el("ul");
      for (const act of stays) rows.append(el("li", new Date(act.at).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" }) + " " + (act.by || "no name") + ": " + act.says));
      fold.append(rows);
      fold.open = unfolded;
      box.append(fold);
    }
    for (const act of refused) {
      const row = el("p", "", "not-taken"), away = el("button", "Dismiss", "button"), there = el("a", "Open the page it was typed on", "plain");
      there.href = act.page;
      away.type = "button";
      away.addEventListener("click", async () => { await acts.drop(act.key); look(); });
      row.append(el("span", "Not accepted: " + act.says + ". " + act.refused), there, away);
      box.append(row);
    }
  }

  /* One page sends, in order, each once; it stops at the first that finds no server. */
  async function send() {
    if (sending) return;
    list = await acts.all();
    if (signOf() !== shown) show();      /* another page of this browser has sent them, or put one away */
    /* A page of an earlier session has that session's seal, and may be another's: it is opened anew before it sends. */
    if (body.dataset.seenAt && (body.dataset.signed || !waiting().length)) { probe(); return; }
    if (!waiting().length) { cut = false; return; }
    sending = true;
    try {
      await navigator.locks.request("piston-outbox", { ifAvailable: true }, async (lock) => { if (lock) await sendAll(); });
    } finally { sending = false; }
  }

  async function sendAll() {
    let sent = 0;
    for (const act of (await acts.all()).filter(open)) {
      if (body.dataset.signed && act.by !== body.dataset.who) continue;
      const pairs = [...act.pairs.filter(([k]) => k !== "seal"), ["pressed_at", act.at], ["pressed_by", act.by]];
      try {
        const answer = await fetch(act.url, { method: "POST", body: bodyOf(pairs), redirect: "manual", headers: { "X-Act": act.key, ...(body.dataset.seal ? { "X-Seal": body.dataset.seal } : {}) }, signal: AbortSignal.timeout(PATIENCE_MS) });
        if (answer.status >= 500 || answer.status === 401 || answer.status === 429) { why = held(answer.status, await answer.text()); break; }
        why = "";
        if (answer.ok || answer.type === "opaqueredirect") { await answered(act.key); sent += 1; }
        else await acts.put({ ...act, refused: reason(await answer.text()) });
      } catch (error) { break; }
    }
    list = await acts.all();
    if (!waiting().length) cut = false;
    if (sent || list.some((x) => x.refused)) await again();
    show();
  }

  function reason(page) {
    const told = new DOMParser().parseFromString(page, "text/html").querySelectorAll("#work .fault, #work .lead, .fault");
    return told.length ? [...new Set([...told].map((x) => x.textContent.trim()))].join(" ").slice(0, 300) : "The server did not accept it.";
  }

  /* The page as it stands now, under what is being typed. */
  async function again() {
    if (body.dataset.seenAt) { window.location.reload(); return; }
    if (document.getElementById("work")) await htmx.ajax("GET", here, { target: "#work", swap: "outerHTML" });
    seenAgain();
  }

  async function probe() {
    try {
      const answer = await fetch("/alive", { signal: AbortSignal.timeout(4000) });
      if (answer.ok) window.location.reload();
    } catch (error) { /* still away */ }
  }

  let soon = null;
  function seenAgain() {
    clearTimeout(soon);
    soon = setTimeout(() => navigator.serviceWorker && navigator.serviceWorker.controller && navigator.serviceWorker.controller.postMessage({ seen: here }), 1500);
  }

  /* What is being typed stays over a reload, until it is written or emptied. */
  const DRAFTS = "piston-typed " + body.dataset.workshop + " " + here;
  const drafts = () => JSON.parse(sessionStorage.getItem(DRAFTS) || "{}");
  const keepDrafts = (kept) => (Object.keys(kept).length ? sessionStorage.setItem(DRAFTS, JSON.stringify(kept)) : sessionStorage.removeItem(DRAFTS));
  const typed = (field) => field.id && field.matches("#work input:not([type=checkbox], [type=radio], [type=file], [type=hidden], [type=password], .find), #work textarea") && field.closest('form[method="post"]');
  document.addEventListener("input", (event) => {
    if (!typed(event.target)) return;
    const kept = drafts();
    if (event.target.value === event.target.defaultValue) delete kept[event.target.id];
    else kept[event.target.id] = event.target.value;
    keepDrafts(kept);
  });
  function forget(form) {
    const kept = drafts();
    for (const field of form.elements) delete kept[field.id];
    keepDrafts(kept);
  }
  document.addEventListener("submit", (event) => { if (!event.target.hasAttribute("data-entry")) forget(event.target); });
  function restore() {
    for (const [id, value] of Object.entries(drafts())) {
      const field = document.getElementById(id);
      if (!field || field.value !== field.defaultValue) continue;
      field.value = value;
      field.dataset.draft = "yes";
    }
  }
  document.addEventListener("focusout", (event) => {
    const field = event.target;
    if (!field.dataset || !field.dataset.draft || !field.matches(".value")) return;
    delete field.dataset.draft;
    if (field.value !== field.defaultValue) field.dispatchEvent(new Event("change", { bubbles: true }));
  });

  restore();
  look().then(send);
  window.addEventListener("online", send);
  document.addEventListener("htmx:afterSettle", show);
  setInterval(send, LOOK_MS);
  if (navigator.serviceWorker) {
    const first = !navigator.serviceWorker.controller;   /* the page that came before the worker is seen too */
    navigator.serviceWorker.register("/worker.js").catch(() => undefined);
    if (first) navigator.serviceWorker.ready.then((worker) => worker.active.postMessage({ seen: here }));
  }
})();
