/* A wait that ends is heard and seen on every page: a sound, a mark on title and icon, a notification where that is
   allowed. What waits is kept on this device, so that it rings over a restart of the server and after a sleep too. */
(function () {
  "use strict";
  const place = document.getElementById("alarms"), icon = document.querySelector("link[rel=icon]"), title = document.title;
  if (!place) return;
  const NAME = "piston-alarms-" + document.body.dataset.workshop, LOOK_MS = 30000, LATE_MS = 90000, FRESH_MS = 10000, SOON_MS = 1000, CALM = icon.href;
  const kept = () => { try { return JSON.parse(localStorage.getItem(NAME)) || {}; } catch (error) { return {}; } };
  const keep = (state) => { try { localStorage.setItem(NAME, JSON.stringify(state)); } catch (error) { /* this device keeps nothing */ } };
  let timer = 0;

  /* The bar as it came a moment ago serves the next page of this tab; a press in it makes it old. */
  const BAR = NAME + "-bar";
  const lately = () => { try { const bar = JSON.parse(sessionStorage.getItem(BAR)); return bar && Date.now() - bar.at < FRESH_MS ? bar.page : ""; } catch (error) { return ""; } };
  const remember = (page) => { try { sessionStorage.setItem(BAR, JSON.stringify({ at: Date.now(), page })); } catch (error) { /* asked for again then */ } };

  /* What was pressed a moment ago is quiet until the server was asked; without an answer it rings again. */
  const PRESSED = NAME + "-pressed";
  const pressed = () => { try { const one = JSON.parse(sessionStorage.getItem(PRESSED)); return one && Date.now() - one.at < FRESH_MS ? one.id : ""; } catch (error) { return ""; } };
  place.addEventListener("submit", (event) => {
    const row = event.target.closest("[data-wait]");
    try {
      sessionStorage.removeItem(BAR);
      if (row) sessionStorage.setItem(PRESSED, JSON.stringify({ id: row.dataset.wait, at: Date.now() }));
    } catch (error) { /* never kept */ }
  });

  function chime() {
    try {
      const audio = new AudioContext();
      [0, 0.35, 0.7].forEach((at) => {
        const tone = audio.createOscillator(), gain = audio.createGain();
        tone.frequency.value = 880;
        gain.gain.setValueAtTime(0.2, audio.currentTime + at);
        gain.gain.exponentialRampToValueAtTime(0.001, audio.currentTime + at + 0.3);
        tone.connect(gain).connect(audio.destination);
        tone.start(audio.currentTime + at);
        tone.stop(audio.currentTime + at + 0.3);
      });
    } catch (error) { /* no sound on this device: the words say it too */ }
  }

  function notify(one) {
    if (!("Notification" in window) || Notification.permission !== "granted") return;
    try { new Notification(one.says, { tag: one.id, icon: "/static/piston-rings.svg" }); } catch (error) { /* only from a worker here */ }
  }

  const rows = () => [...place.querySelectorAll("[data-wait]")].map((el) => ({ id: el.dataset.wait, until: el.dataset.until, says: el.dataset.says, job: el.dataset.job }));

  /* Without the server the row is made here: it says what rang, and where to write what was seen. */
  function rowOf(one) {
    const li = document.createElement("li"), p = document.createElement("p"), link = document.createElement("a");
    Object.assign(li.dataset, { wait: one.id, until: one.until, says: one.says, job: one.job });
    link.href = "/jobs/" + one.job;
    link.textContent = one.says;
    p.append(link);
    li.append(p);
    return li;
  }

  function show() {
    const state = kept(), list = state.list || [], rung = state.rung || {}, now = Date.now();
    const quiet = pressed(), over = list.filter((one) => Date.parse(one.until) <= now && one.id !== quiet);
    let sounds = false;
    for (const one of over) {
      if (rung[one.id] === one.until) continue;
      rung[one.id] = one.until;
      sounds = true;
      const missed = now - Date.parse(one.until) > LATE_MS;
      notify({ ...one, says: (missed ? "Rang while nobody looked: " : "") + one.says });
    }
    for (const id of Object.keys(rung)) if (!list.some((one) => one.id === id)) delete rung[id];
    if (sounds) { keep({ ...state, list, rung }); chime(); }
    const ul = place.querySelector("ul") || place.appendChild(Object.assign(document.createElement("ul"), { className: "alarmlist" }));
    for (const one of list) {
      const el = ul.querySelector('[data-wait="' + CSS.escape(one.id) + '"]') || ul.appendChild(rowOf(one));
      el.hidden = !over.includes(one);
      if (!el.hidden && !el.childElementCount) el.append(...rowOf(one).children);
    }
    place.hidden = !over.length || Boolean(document.querySelector(".alarmpage"));
    document.title = over.length ? "(" + over.length + ") rang · " + title : title;
    icon.href = over.length ? "/static/piston-rings.svg" : CALM;
    clearTimeout(timer);
    const next = list.map((one) => Date.parse(one.until) - now).filter((ms) => ms > 0);
    timer = setTimeout(look, Math.min(LOOK_MS, Math.max(SOON_MS, ...(next.length ? [Math.min(...next) + 50] : [LOOK_MS]))));
  }

  async function look() {
    show();
    const state = kept(), rings = (state.list || []).some((one) => Date.parse(one.until) <= Date.now());
    if (!rings && Date.now() - (state.at || 0) < FRESH_MS) return;
    const bar = lately();
    if (rings && bar) {
      if (!place.contains(document.activeElement)) place.innerHTML = bar;
      show();
      return;
    }
    clearTimeout(timer);
    try {
      const answer = await fetch("/alarms/bar", { credentials: "same-origin", headers: { "HX-Request": "true" } });
      if (answer.ok && !place.contains(document.activeElement)) {
        const page = await answer.text();
        if (!place.contains(document.activeElement)) place.innerHTML = page;
        remember(page);
        try { sessionStorage.removeItem(PRESSED); } catch (error) { /* never kept */ }
        keep({ list: rows(), rung: kept().rung || {}, at: Date.now() });
      }
    } catch (error) { /* the server does not answer: what is kept here rings all the same */ }
    show();
  }

  document.addEventListener("visibilitychange", () => { if (!document.hidden) look(); });
  window.addEventListener("focus", look);
  window.addEventListener("storage", (event) => { if (event.key === NAME) show(); });
  const ask = document.getElementById("notify");
  if (ask && "Notification" in window && Notification.permission === "default") {
    ask.hidden = false;
    ask.addEventListener("click", async () => { await Notification.requestPermission(); ask.hidden = true; });
  }
  look();
})();
