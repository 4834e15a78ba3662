/* Small local state only: shortcuts, pickers, count-downs, and entries kept while the connection is gone. */
(function () {
  "use strict";

  const typing = (el) => el && (el.matches("input, textarea, select") || el.isContentEditable);

  document.addEventListener("alpine:init", () => {
    Alpine.data("shortcuts", () => ({
      before: "",
      toggle() {
        const keys = document.getElementById("keys");
        keys.open ? keys.close() : keys.showModal();
      },
      press(event) {
        if (typing(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
        const key = event.key;
        if (key === "?") { event.preventDefault(); return this.toggle(); }
        if (this.before === "g" && key === "y") { window.location.assign("/"); return; }
        this.before = key;
        if (key === "r") {
          const cells = [...document.querySelectorAll(".value")];
          const cell = cells.find((c) => !c.value) || cells[0];
          if (cell) { event.preventDefault(); cell.focus(); }
          return;
        }
        const link = document.querySelector('[data-key="' + CSS.escape(key) + '"]');
        if (link && /^[1-6tups/]$/.test(key)) { event.preventDefault(); link.click(); }
      },
    }));

    Alpine.data("picker", () => ({
      find(event) {
        const words = event.target.value.toLowerCase().split(/\s+/).filter(Boolean);
        for (const item of this.$refs.list.children) {
          item.hidden = !words.every((w) => item.dataset.words.includes(w));
        }
      },
    }));

    Alpine.data("countdown", () => ({
      left: "",
      init() {
        this.left = this.$el.textContent;
        const until = Date.parse(this.$el.dataset.until);
        const sound = this.$el.dataset.sound === "yes";
        const tick = () => {
          const minutes = Math.round((until - Date.now()) / 60000);
          if (minutes <= 0) { this.left = "over"; if (sound) chime(); return; }
          this.left = minutes >= 60 ? Math.floor(minutes / 60) + " h " + String(minutes % 60).padStart(2, "0") + " min" : minutes + " min";
          this.timer = setTimeout(tick, Math.min(30000, Math.max(1000, until - Date.now())));
        };
        tick();
      },
      destroy() { clearTimeout(this.timer); },
    }));
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

  /* Enter goes to the next cell; leaving a cell writes it. */
  document.addEventListener("keydown", (event) => {
    if (event.key !== "Enter" || !event.target.matches(".value")) return;
    event.preventDefault();
    const cells = [...document.querySelectorAll(".value")];
    const next = cells[cells.indexOf(event.target) + 1];
    if (next) { next.focus(); next.select(); } else { event.target.blur(); }
  });

  /* A judgement of what is being typed is of no use once the cell was left: the written one stands. */
  const late = (event) => event.detail.requestConfig.elt.matches(".value") && event.detail.requestConfig.verb === "get" && document.activeElement !== event.detail.requestConfig.elt;
  document.addEventListener("htmx:beforeRequest", (event) => { if (late(event)) event.preventDefault(); });
  document.addEventListener("htmx:beforeSwap", (event) => { if (late(event)) event.detail.shouldSwap = false; });

  /* What is typed but not yet written stays when another form of the page is written. */
  let unwritten = [];
  document.addEventListener("htmx:beforeSwap", (event) => {
    unwritten = [];
    if (event.detail.target.id !== "work") return;
    const sent = event.detail.requestConfig.elt.closest("form");
    for (const field of document.querySelectorAll("#work input[id]:not(.find), #work textarea[id]")) {
      if (field.value !== field.defaultValue && field.closest("form") !== sent) unwritten.push([field.id, field.value]);
    }
  });
  document.addEventListener("htmx:afterSwap", () => {
    for (const [id, value] of unwritten.splice(0)) {
      const field = document.getElementById(id);
      if (field && field.value === field.defaultValue) field.value = value;
    }
  });

  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-print]")) window.print();
  });

  /* Entries that could not be sent are kept here and sent once, each with its own id. */
  const STORE = "piston-outbox";
  const kept = () => JSON.parse(localStorage.getItem(STORE) || "[]");
  const keep = (list) => localStorage.setItem(STORE, JSON.stringify(list));

  function show() {
    const box = document.getElementById("outbox"), list = kept(), refused = list.filter((x) => x.refused), waiting = list.length - refused.length;
    box.hidden = list.length === 0;
    box.textContent = waiting ? "Kept here, will send: " + waiting + (waiting === 1 ? " entry" : " entries") : "";
    for (const entry of refused) {
      const value = (entry.pairs.find(([k]) => k === "value" || k === "text") || ["", "?"])[1];
      const button = document.createElement("button");
      button.className = "button";
      button.textContent = "Not taken: " + value.slice(0, 40) + ". Enter it again, then press here";
      button.addEventListener("click", () => { keep(kept().filter((x) => x.id !== entry.id)); show(); });
      box.append(button);
    }
  }

  document.addEventListener("htmx:sendError", (event) => {
    const form = event.detail.elt.closest ? event.detail.elt.closest("form[data-entry]") : null;
    if (!form || event.detail.requestConfig.verb !== "post") return;
    const pairs = [...event.detail.requestConfig.formData.entries()].map(([k, v]) => [k, String(v)]);
    const id = (pairs.find(([k]) => k === "entry_id") || [])[1];
    keep([...kept().filter((x) => x.id !== id), { id, url: event.detail.requestConfig.path, pairs }]);
    const verdict = form.querySelector(".verdict-head");
    if (verdict) verdict.textContent = "Kept here, will send";
    show();
  });

  /* What the server refused says so in view, keeps what was typed, and can be sent again. */
  let again = null;
  document.addEventListener("htmx:responseError", (event) => {
    const answer = new DOMParser().parseFromString(event.detail.xhr.responseText, "text/html").querySelector(".lead, .notice");
    const bar = document.getElementById("failed"), says = answer ? answer.textContent.trim() : "Something went wrong here.";
    bar.querySelector("p").textContent = says + (event.detail.requestConfig.verb === "post" ? " Nothing was written; what you typed is still here." : "");
    again = event.detail.requestConfig;
    bar.hidden = false;
  });
  document.addEventListener("htmx:afterOnLoad", (event) => {
    if (event.detail.successful && again && event.detail.requestConfig.path === again.path) document.getElementById("failed").hidden = true;
  });
  document.addEventListener("click", (event) => {
    const bar = event.target.closest("#failed");
    if (!bar || !event.target.closest("button")) return;
    bar.hidden = true;
    if (event.target.closest("[data-again]") && again) {
      htmx.trigger(again.elt, again.elt.matches("form") ? "submit" : (again.triggeringEvent || { type: "change" }).type);
    }
  });

  let sending = false;
  async function send() {
    if (sending || !kept().some((x) => !x.refused)) return;
    sending = true;
    let sent = 0;
    try {
      for (const entry of kept().filter((x) => !x.refused)) {
        const answer = await fetch(entry.url, { method: "POST", body: new URLSearchParams(entry.pairs), redirect: "manual" });
        if (answer.status >= 500) break;
        const taken = answer.ok || answer.type === "opaqueredirect";
        keep(taken ? kept().filter((x) => x.id !== entry.id) : kept().map((x) => (x.id === entry.id ? { ...x, refused: true } : x)));
        if (taken) sent += 1;
      }
    } catch (error) { /* still no connection: try again later */ }
    sending = false;
    show();
    if (!sent) return;
    const busy = document.activeElement;
    if (typing(busy) && busy.value !== busy.defaultValue) htmx.ajax("GET", window.location.href, { target: "#work", swap: "none" });
    else window.location.reload();
  }

  document.addEventListener("DOMContentLoaded", () => { show(); send(); });
  window.addEventListener("online", send);
  setInterval(send, 4000);
})();
