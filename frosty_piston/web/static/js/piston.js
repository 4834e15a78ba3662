/* Small local state only: shortcuts, pickers, count-downs, and what a failed request says. */
(function () {
  "use strict";

  const typing = (el) => el && (el.matches("input, textarea, select") || el.isContentEditable);

  const seen = (el) => el && el.checkVisibility() && !el.disabled;

  /* What comes first on a page: what it marks, the first empty reading or field, else its first button. */
  function firstHere() {
    const work = document.getElementById("work"), all = (signs) => [...work.querySelectorAll(signs)].filter(seen);
    const empty = (signs) => all(signs).find((field) => !field.value);
    return work && (all("[data-next]")[0] || empty(".value") || empty("input:not([type=hidden], [type=checkbox], .find), textarea") || all(".value, button")[0]);
  }

  /* A link to a place in a page leads to its first field or button. */
  function goToPlace() {
    const place = location.hash.length > 1 && document.getElementById(decodeURIComponent(location.hash.slice(1)));
    if (!place) return;
    const folded = place.closest(".folded");
    if (folded) folded.querySelector(".foldbutton").click();
    const fields = "input:not([type=hidden]), textarea, select, button", field = place.matches(fields) ? place : [...place.querySelectorAll(fields)].find(seen);
    if (field) field.focus();
    else place.scrollIntoView();
  }
  /* After the browser has gone there itself, which takes focus away. Whoever has begun to work meanwhile stays
     where they are: the last picture of a page may come long after its first field. */
  let begun = false;
  for (const when of ["keydown", "pointerdown"]) window.addEventListener(when, () => { begun = true; }, { capture: true, once: true });
  window.addEventListener("load", () => setTimeout(() => begun || goToPlace(), 0));
  window.addEventListener("hashchange", () => setTimeout(goToPlace, 0));

  /* Escape closes the panel that is open, and goes back to what opened it. */
  function closePanel() {
    const panel = [...document.querySelectorAll("details.panel[open]")].pop();
    if (!panel) return;
    panel.open = false;
    panel.querySelector("summary").focus();
  }

  document.addEventListener("alpine:init", () => {
    Alpine.data("shortcuts", () => ({
      before: "",
      on: localStorage.getItem("piston-keys") !== "off",
      get shown() { return this.on ? "on" : ""; },
      get pressed() { return this.on ? "true" : "false"; },
      turn() {
        this.on = !this.on;
        localStorage.setItem("piston-keys", this.on ? "on" : "off");
      },
      toggle() {
        const keys = document.getElementById("keys");
        keys.open ? keys.close() : keys.showModal();
      },
      press(event) {
        if (event.key === "Escape") return closePanel();
        if (!this.on || document.querySelector("dialog[open]")) return;
        if (typing(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
        const key = event.key;
        if (key === "?") { event.preventDefault(); return this.toggle(); }
        if (this.before === "g" && key === "y") { window.location.assign("/"); return; }
        this.before = key;
        if (key === "r") {
          const first = firstHere();
          if (first) { event.preventDefault(); first.focus(); }
          return;
        }
        const link = document.querySelector('[data-key="' + CSS.escape(key) + '"]');
        if (link && /^[1-6tupsn/]$/.test(key)) { event.preventDefault(); link.click(); }
      },
    }));

    /* How well an entry of a list fits what was typed: 0 its name begins with it, 1 a word of its name does, 2 another
       word for it does, 3 it only holds the letters. */
    function fitOf(item, words) {
      const name = (item.dataset.name || item.textContent).trim().toLowerCase(), typed = words.join(" ");
      const begins = (text) => words.every((word) => (" " + text).includes(" " + word));
      return name.startsWith(typed) ? 0 : begins(name) ? 1 : begins(item.dataset.words) ? 2 : 3;
    }

    Alpine.data("picker", () => ({
      init() {
        /* A press beside the list puts it away. */
        const root = this.$root, list = this.$refs.list;
        document.addEventListener("pointerdown", function beside(event) {
          if (!root.isConnected) document.removeEventListener("pointerdown", beside);
          else if (list && !root.contains(event.target)) list.classList.remove("open");
        });
        root.addEventListener("keydown", (event) => {
          if (event.key !== "Escape" || !list || !list.classList.contains("open")) return;
          event.stopPropagation();
          list.classList.remove("open");
          const field = root.querySelector(".find");
          if (field) field.focus();
        });
      },
      find(event) {
        const words = event.target.value.toLowerCase().split(/\s+/).filter(Boolean);
        const items = [...this.$refs.list.querySelectorAll("[data-words]")];
        items.forEach((item, n) => { item.dataset.order = item.dataset.order || String(n); });
        for (const item of items) item.hidden = !words.every((w) => item.dataset.words.includes(w));
        const fit = new Map(items.map((item) => [item, words.length ? fitOf(item, words) : 0]));
        const before = (a, b) => fit.get(a) - fit.get(b) || Number(a.dataset.order) - Number(b.dataset.order);
        for (const list of new Set(items.map((item) => item.parentElement))) {
          list.append(...items.filter((item) => item.parentElement === list).sort(before));
        }
        for (const group of this.$refs.list.querySelectorAll(".foldable")) {
          group.hidden = !group.querySelector("[data-words]:not([hidden])");
          group.classList.toggle("folded", !words.length && group.classList.contains("folded"));
        }
        this.$refs.list.classList.toggle("open", words.length > 0);
      },
      /* Enter takes the first that fits, and goes on when nothing is typed; the arrow goes into the list, Escape puts it away. */
      steer(event) {
        const list = this.$refs.list, first = [...list.querySelectorAll("[data-words]:not([hidden])")].map((i) => i.querySelector("button, a"))[0];
        if (event.key === "Enter") {
          event.preventDefault();
          const go = document.querySelector(event.target.dataset.go || "#none");
          if (!event.target.value.trim()) { if (seen(go)) go.focus(); } else if (first) { first.click(); }
        }
        if (event.key === "ArrowDown" && first) { event.preventDefault(); list.classList.add("open"); first.focus(); }
        if (event.key === "Escape") event.target.value = "";
      },
      all() { this.$refs.list.classList.toggle("open"); },
    }));

    /* A clock beside a field: pressed once it runs, pressed again it writes the seconds into the field. */
    Alpine.data("stopwatch", () => ({
      from: 0,
      says: "Start the clock",
      init() { this.says = this.$root.dataset.start || this.says; },
      press() {
        const field = document.querySelector(this.$root.dataset.into);
        if (!this.from) { this.from = performance.now(); this.run(); return; }
        field.value = ((performance.now() - this.from) / 1000).toFixed(1);
        this.from = 0;
        clearTimeout(this.timer);
        this.says = "Again. " + (this.$root.dataset.start || "Start the clock");
        for (const kind of ["input", "change"]) field.dispatchEvent(new Event(kind, { bubbles: true }));
      },
      run() {
        this.says = (this.$root.dataset.stop || "Stop") + ", " + ((performance.now() - this.from) / 1000).toFixed(1) + " s";
        this.timer = setTimeout(() => this.run(), 100);
      },
    }));

    /* A module drops its feed some time after the key: counts down from key on, and says when it is over. */
    Alpine.data("keyon", () => ({
      until: 0,
      says: "Key on now",
      left: "",
      told: "",
      state: {},
      init() { this.left = this.$root.dataset.seconds + " s"; },
      press() {
        this.until = performance.now() + 1000 * Number(this.$root.dataset.seconds);
        this.says = "Read now";
        this.told = "";
        clearTimeout(this.timer);
        this.run();
      },
      run() {
        const left = (this.until - performance.now()) / 1000;
        this.left = Math.max(0, Math.ceil(left)) + " s";
        this.state = { running: left > 0 };
        if (left > 0) { this.timer = setTimeout(() => this.run(), 200); return; }
        this.says = "Key off, and on again";
        this.left = this.$root.dataset.seconds + " s";
        this.told = "Time is over: what is read now may only be a module that went to sleep.";
        chime();
      },
    }));

    /* A hold test: readings as often as they come, each stamped by Enter; first and last are start and end. */
    Alpine.data("holdtimer", () => ({
      from: 0,
      says: "Start the clock",
      wait: "",
      read: [],
      get stamped() { return this.read.map(([t, v]) => t.toFixed(0) + " s: " + v).join(", "); },
      least() {
        const waits = JSON.parse(this.$root.dataset.waits)[this.$root.dataset.at] || {}, test = this.$root.querySelector("[name=test]");
        return waits[test.value] || 0;
      },
      press() {
        if (!this.from) { this.from = performance.now(); this.read = []; this.run(); this.stamp(); this.$refs.now.focus(); return; }
        this.stamp();
        this.from = 0;
        clearTimeout(this.timer);
        this.says = "Start again";
      },
      stamp() {
        const text = this.$refs.now.value.trim().replace(",", "."), t = this.from ? (performance.now() - this.from) / 1000 : 0;
        if (!text || !isFinite(Number(text))) return;
        if (!this.from) { this.$root.querySelector("[name=start_kpa]").value = text; this.press(); return; }
        this.read = [...this.read, [t, text]];
        const fields = { start_kpa: this.read[0][1], end_kpa: text, seconds: (t - this.read[0][0]).toFixed(1) };
        if (this.read.length > 1) for (const name in fields) this.$root.querySelector("[name=" + name + "]").value = fields[name];
        this.$refs.points.value = this.read.map(([at, v]) => (at - this.read[0][0]).toFixed(1) + ":" + v).join(" ");
        this.$refs.now.value = "";
      },
      run() {
        const t = (performance.now() - this.from) / 1000, left = Math.ceil(this.least() - t);
        this.says = "Stop, " + t.toFixed(0) + " s";
        this.wait = left > 0 ? left + " s more: before that this gauge cannot tell tight from leaking here." : "Long enough to tell.";
        this.timer = setTimeout(() => this.run(), 200);
      },
      destroy() { clearTimeout(this.timer); },
    }));

    /* A wiggle test: two clocks, wiggling and hands off, and a count that belongs to the one that runs. */
    Alpine.data("wiggle", () => ({
      phase: "", from: 0, spent: { wiggle: 0, rest: 0 }, log: [], tick: 0,
      get nowWiggle() { return this.phase === "wiggle" ? "running" : ""; },
      get nowRest() { return this.phase === "rest" ? "running" : ""; },
      get wiggleSays() { return "Wiggle: " + this.count("wiggle"); },
      get restSays() { return "Hands off: " + this.count("rest"); },
      get wiggleTime() { return this.time("wiggle") + " s"; },
      get restTime() { return this.time("rest") + " s"; },
      get drops() { return this.phase ? this.count(this.phase) : this.log.length; },
      count(phase) { return this.log.filter((p) => p === phase).length; },
      time(phase) {
        const on = this.tick >= 0 && this.phase === phase ? (performance.now() - this.from) / 1000 : 0;
        return Math.round(this.spent[phase] + on);
      },
      turn(phase) {
        if (this.phase) this.spent = { ...this.spent, [this.phase]: this.spent[this.phase] + (performance.now() - this.from) / 1000 };
        this.phase = this.phase === phase ? "" : phase;
        if (this.phase) this.$root.querySelector(".wigglepad").scrollIntoView({ block: "nearest" });
        this.from = performance.now();
        clearInterval(this.timer);
        if (this.phase) this.timer = setInterval(() => { this.tick += 1; }, 250);
        this.fill();
      },
      wiggling() { this.turn("wiggle"); },
      resting() { this.turn("rest"); },
      stop() { if (this.phase) this.turn(this.phase); },
      dropout() { if (this.phase) { this.log = [...this.log, this.phase]; this.fill(); } },
      undo() { this.log = this.log.slice(0, -1); this.fill(); },
      key(event) {
        if (typing(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
        const act = { w: "wiggling", h: "resting", d: "dropout", z: "undo", x: "stop" }[event.key];
        if (act) { event.preventDefault(); this[act](); }
      },
      fill() {
        const form = document.getElementById("form-wiggle"), set = (name, value) => { form.elements[name].value = value; };
        set("wiggle_s", this.time("wiggle") || "");
        set("dropouts", this.count("wiggle"));
        set("rest_s", this.time("rest") || "");
        set("rest_dropouts", this.count("rest"));
        form.dispatchEvent(new Event("counted", { bubbles: true }));
      },
      destroy() { clearInterval(this.timer); },
    }));

    Alpine.data("countdown", () => ({
      left: "",
      init() {
        this.left = this.$el.textContent;
        const until = Date.parse(this.$el.dataset.until);
        const tick = () => {
          const ms = until - Date.now(), minutes = Math.round(ms / 60000);
          if (ms <= 0) {
            this.left = "over";
            this.$el.dispatchEvent(new Event("timeover", { bubbles: true }));
            return;
          }
          const two = (n) => String(n).padStart(2, "0"), seconds = Math.ceil(ms / 1000);
          const short = Math.floor(seconds / 60) + ":" + two(seconds % 60);
          this.left = minutes >= 60 ? Math.floor(minutes / 60) + " h " + two(minutes % 60) + " min" : minutes >= 10 ? minutes + " min" : short;
          this.timer = setTimeout(tick, Math.min(minutes >= 10 ? 30000 : 1000, Math.max(50, ms)));
        };
        tick();
      },
      destroy() { clearTimeout(this.timer); },
    }));
  });

  /* Enter goes to the next cell, Escape to what is next on the job; leaving a cell writes it. */
  document.addEventListener("keydown", (event) => {
    if (!event.target.matches(".value") || !["Enter", "Escape"].includes(event.key)) return;
    event.preventDefault();
    const cells = [...document.querySelectorAll(".value")];
    const next = event.key === "Enter" && cells[cells.indexOf(event.target) + 1];
    if (next) { next.focus(); next.select(); return; }
    event.target.blur();
    const on = document.getElementById("next-link");
    if (seen(on)) on.focus({ preventScroll: true });
  });

  /* A judgement of what is being typed is of no use once the cell was left: the written one stands. */
  const late = (event) => event.detail.requestConfig.elt.matches(".value") && event.detail.requestConfig.verb === "get" && document.activeElement !== event.detail.requestConfig.elt;
  document.addEventListener("htmx:beforeRequest", (event) => { if (late(event)) event.preventDefault(); });
  document.addEventListener("htmx:beforeSwap", (event) => { if (late(event)) event.detail.shouldSwap = false; });

  /* After an answer focus is where it was, on what was wrong, or on the next thing to do: never on the page. */
  const SIGNS = "a[href], button:not(:disabled), input:not([type=hidden], :disabled), select, textarea, summary";
  const signOf = (el) => [el.tagName, el.name || "", el.type === "checkbox" || el.tagName === "BUTTON" ? el.value : "", el.tagName === "BUTTON" ? el.textContent.trim() : ""].join("|");
  let left = null;
  function remember() {
    const el = document.activeElement;
    if (!el || el === document.body) return;
    const form = el.closest("form");
    left = { el, id: el.id, form: form && form.id, sign: signOf(el), then: form && form.dataset.then };
  }
  document.addEventListener("htmx:confirm", remember);
  document.addEventListener("htmx:beforeSwap", remember);
  function focusAgain(sent) {
    const now = document.activeElement;
    if (!left) return;
    /* The library puts focus back on a field of the same name; a form that says what comes then goes on. */
    const restored = sent && left.then && left.id && now.id === left.id;
    if (now && now !== document.body && now.isConnected && !restored) return;
    const work = document.getElementById("work") || document.body, form = left.form && document.getElementById(left.form);
    const next = [
      sent && work.querySelector("[aria-invalid=true], .fault[tabindex]"), sent && left.then && [...document.querySelectorAll(left.then)].find(seen), left.id && document.getElementById(left.id),
      form && [...form.querySelectorAll(SIGNS)].find((el) => signOf(el) === left.sign), work.querySelector("[data-next]"),
      form && [...form.querySelectorAll(SIGNS)].find(seen), document.querySelector(".nextstep a"), work.querySelector("h1"),
    ].find(seen);
    if (!next) return;
    if (next.matches("h1")) next.tabIndex = -1;
    next.focus({ preventScroll: true });
  }
  document.addEventListener("htmx:afterSettle", (event) => {
    if (event.detail.requestConfig && (event.detail.target || event.detail.elt)) setTimeout(() => focusAgain(event.detail.requestConfig.verb === "post"), 0);
  });

  /* One place says what an answer was, for those who do not see it. */
  function say(text) {
    const said = document.getElementById("said");
    if (said && text) said.textContent = text.replace(/\s+/g, " ").trim();
  }
  document.addEventListener("htmx:afterSettle", (event) => {
    const config = event.detail.requestConfig;
    if (!config || config.verb !== "post") return;
    const cell = config.elt.closest && config.elt.closest("form.cell"), verdict = cell && document.querySelector("#" + CSS.escape(cell.id) + " .verdict");
    const fault = document.querySelector("#work .fault"), row = document.querySelector("#tape li:not(.gone) .says");
    say(verdict ? verdict.textContent : fault ? "Not taken: " + fault.textContent : row ? "Written: " + row.textContent : "");
  });

  /* Something moves when an answer takes its time, and the buttons of what is being sent rest. */
  let sending = 0, slow = null;
  document.addEventListener("htmx:beforeRequest", (event) => {
    if (event.defaultPrevented) return;
    sending += 1;
    slow = slow || setTimeout(() => document.body.classList.add("busy"), 150);
    const form = event.detail.requestConfig.verb === "post" && event.detail.elt.closest("form");
    if (!form || form.classList.contains("cell")) return;
    form.sentValues = new Map([...form.elements].map((field) => [field, field.value]));
    form.resting = [...form.querySelectorAll("button:not(:disabled)")];
    for (const button of form.resting) button.disabled = true;
  });
  document.addEventListener("htmx:afterRequest", (event) => {
    sending = Math.max(0, sending - 1);
    if (!sending) { clearTimeout(slow); slow = null; document.body.classList.remove("busy"); }
    const form = event.detail.elt.closest && event.detail.elt.closest("form");
    for (const button of (form && form.resting) || []) button.disabled = false;
    if (form) form.resting = null;
  });

  /* What is typed, chosen or opened but not yet written stays when another form of the page is written. A search
     field that the press itself was found with keeps only what was typed since. */
  const FIELDS = "#work input:not([type=hidden]):not([type=file]), #work textarea, #work select";
  const keyOf = (field) => field.id || [field.form && field.form.id, field.name, field.type === "checkbox" || field.type === "radio" ? field.value : ""].join("|");
  const ticks = (field) => field.type === "checkbox" || field.type === "radio";
  const stateOf = (field) => (ticks(field) ? field.checked : field.value);
  const givenIn = (field) => (ticks(field) ? field.defaultChecked : field.tagName === "SELECT" ? ([...field.options].find((o) => o.defaultSelected) || field.options[0] || { value: "" }).value : field.defaultValue);
  const panelOf = (panel) => panel.id || [(panel.parentElement.closest("[id]") || {}).id, panel.querySelector("summary") && panel.querySelector("summary").textContent.replace(/[\d\s]+/g, " ").trim()].join("|");
  let unwritten = [], openPanels = [], searched = new Map();
  document.addEventListener("htmx:beforeRequest", (event) => {
    if (event.detail.requestConfig.verb === "post") searched = new Map([...document.querySelectorAll("#work .find")].map((field) => [field, field.value]));
  });
  document.addEventListener("htmx:beforeSwap", (event) => {
    unwritten = []; openPanels = [];
    if (event.detail.target.id !== "work") return;
    const elt = event.detail.requestConfig.elt, sent = elt.closest("form");
    for (const field of document.querySelectorAll(FIELDS)) {
      if (stateOf(field) === givenIn(field)) continue;
      const mine = field.matches(".find") ? elt.closest("[x-data]") && elt.closest("[x-data]").contains(field) : field.form && field.form === sent;
      const before = field.matches(".find") ? searched : (sent && sent.sentValues) || new Map();
      const since = before.has(field) && before.get(field) !== field.value;
      if (!mine || since) unwritten.push([keyOf(field), stateOf(field)]);
    }
    for (const panel of document.querySelectorAll("#work details[open]")) if (!sent || !panel.contains(sent)) openPanels.push(panelOf(panel));
  });
  document.addEventListener("htmx:afterSwap", () => {
    if (!unwritten.length && !openPanels.length) return;
    const fields = new Map([...document.querySelectorAll(FIELDS)].map((field) => [keyOf(field), field]));
    for (const [key, state] of unwritten.splice(0)) {
      const field = fields.get(key);
      if (!field || stateOf(field) !== givenIn(field)) continue;
      if (ticks(field)) field.checked = state; else field.value = state;
      if (field.matches(".find")) setTimeout(() => field.dispatchEvent(new Event("input", { bubbles: true })), 0);
    }
    const open = new Set(openPanels.splice(0));
    for (const panel of document.querySelectorAll("#work details:not([open])")) if (open.has(panelOf(panel))) panel.open = true;
  });

  /* On a phone a page is at most four screens: sections fold from the last one up, and open at a press. */
  const FOLDS = "#tape, #heat .foldable, #work .leaf, #work .step, #work .foldable, .record-sheet, #work .cards > *";
  const HEADS = ":scope > h2, :scope > h3, :scope > .tape-head > h2, :scope > .airstep-head > h2, :scope > .step-head h2";
  const opened = new Set(), SCREENS = 4;
  function foldForPhone() {
    if (!window.matchMedia("screen and (max-width: 760px)").matches) return;
    const most = SCREENS * window.innerHeight, sections = [...document.querySelectorAll(FOLDS)].filter((s) => s.querySelector(HEADS) && s.checkVisibility());
    let height = document.documentElement.scrollHeight;
    for (const section of sections.reverse()) {
      if (height <= most) return;
      const head = section.querySelector(HEADS), name = section.id || head.textContent.trim();
      if (section.classList.contains("folded") || opened.has(name) || section.querySelector(".folded, [aria-invalid=true], :target") || section.matches(":target") || section.contains(document.activeElement)) continue;
      const before = section.offsetHeight;
      if (!head.querySelector("button")) {
        const button = document.createElement("button");
        button.type = "button";
        button.className = "foldbutton";
        button.append(...head.childNodes);
        head.append(button);
        button.addEventListener("click", () => {
          const folded = section.classList.toggle("folded");
          button.setAttribute("aria-expanded", String(!folded));
          folded ? opened.delete(name) : opened.add(name);
        });
      }
      head.querySelector("button").setAttribute("aria-expanded", "false");
      section.classList.add("folded");
      height -= before - section.offsetHeight;
    }
  }
  document.addEventListener("DOMContentLoaded", foldForPhone);
  document.addEventListener("htmx:afterSettle", foldForPhone);

  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-print]")) window.print();
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
})();
