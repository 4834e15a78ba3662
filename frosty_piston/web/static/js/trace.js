/* The chart of a recording: points come thinned from the server for what is in view; mouse, touch and keys move it. */
(function () {
  "use strict";
  const css = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
  const COLOURS = ["--ember", "--frost", "--pine", "--brass", "--ink", "--soft"];
  let box, chart, view, whole, channels, units, marks, asking = 0;

  /* A lowest and a highest for every fourth pixel. */
  const most = () => Math.max(240, Math.min(1600, Math.round(box.clientWidth / 2)));
  const query = (from, to) => channels.map((c) => "channel=" + encodeURIComponent(c.channel)).join("&") + "&most=" + most() + "&start=" + from + "&end=" + to;

  async function ask(from, to) {
    const mine = ++asking;
    const says = document.getElementById("trace-fault"), got = (url) => fetch(url).then((r) => { if (!r.ok) throw new Error(String(r.status)); return r.json(); });
    const answers = [];
    try {
      answers.push(await got(box.dataset.url + "?" + query(from, to)));
      if (box.dataset.other) {
        const there = box.dataset.others.trim().split(" "), shift = Number(box.dataset.shift), both = channels.filter((c) => there.includes(c.channel));
        const url = box.dataset.other + "?" + both.map((c) => "channel=" + c.channel).join("&") + "&most=" + most() + "&start=" + (from - shift) + "&end=" + (to - shift);
        if (both.length) answers.push(await got(url));
      }
      if (says) says.hidden = true;
    } catch {
      if (says) { says.textContent = "The recording cannot be reached just now; the picture stays as it was."; says.hidden = false; }
      return null;
    }
    if (mine !== asking) return null;
    const tables = [];
    channels.forEach((c) => {
      const own = answers[0].channels[c.channel];
      tables.push([own.t, own.v]);
    });
    if (answers[1]) channels.forEach((c) => {
      const its = answers[1].channels[c.channel], shift = Number(box.dataset.shift);
      if (its) tables.push([its.t.map((t) => t + shift), its.v]);
    });
    return uPlot.join(tables);
  }

  function options(width) {
    const there = box.dataset.other ? box.dataset.others.trim().split(" ") : [];
    const colour = (i) => css(COLOURS[i % COLOURS.length]);
    const series = [{ label: "At, s", value: (u, v) => (v == null ? "" : v.toFixed(2)) }];
    const line = (c, i, extra) => ({ label: c.title + (extra.after ? ", other" : ""), scale: c.unit || "none", stroke: colour(i), width: extra.after ? 1.5 : 2, dash: extra.after ? [6, 4] : undefined, spanGaps: true, points: { show: false }, value: (u, v) => (v == null ? "" : +v.toPrecision(5) + " " + c.unit) });
    channels.forEach((c, i) => series.push(line(c, i, {})));
    channels.forEach((c, i) => { if (there.includes(c.channel)) series.push(line(c, i, { after: true })); });
    const axis = (unit, side) => ({ scale: unit || "none", side, label: unit, stroke: css("--ink"), font: "14px 'Barlow Condensed'", labelFont: "600 15px 'Barlow Condensed'", size: 58, labelSize: 22, grid: { show: side === 3, stroke: css("--edge"), width: 0.5 }, ticks: { stroke: css("--edge") } });
    const axes = [{ stroke: css("--ink"), font: "14px 'Barlow Condensed'", grid: { stroke: css("--edge"), width: 0.5 }, ticks: { stroke: css("--edge") }, values: (u, at) => at.map((v) => v + " s") }, axis(units[0], 3)];
    if (units[1] !== undefined) axes.push(axis(units[1], 1));
    const scales = { x: { time: false } };
    units.forEach((u) => { scales[u || "none"] = {}; });
    return {
      width, height: Math.max(260, Math.min(420, Math.round(width * 0.46))), series, axes, scales, cursor: { drag: { x: true, y: false, setScale: false }, points: { size: 7 } }, legend: { live: true },
      hooks: { setSelect: [(u) => { if (u.select.width > 4) go(u.posToVal(u.select.left, "x"), u.posToVal(u.select.left + u.select.width, "x")); u.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false); }], drawClear: [shade] },
    };
  }

  function shade(u) {
    const g = u.ctx;
    g.save();
    g.fillStyle = css("--ice");
    marks.forEach((m) => {
      const a = Math.max(u.bbox.left, u.valToPos(m.start, "x", true)), b = Math.min(u.bbox.left + u.bbox.width, u.valToPos(m.end, "x", true));
      if (b > a) { g.fillRect(a, u.bbox.top, b - a, u.bbox.height); g.fillStyle = css("--soft"); g.font = 14 * devicePixelRatio + "px 'Barlow Condensed'"; g.fillText(m.name, a + 6, u.bbox.top + 18 * devicePixelRatio); g.fillStyle = css("--ice"); }
    });
    g.restore();
  }

  async function go(from, to) {
    const least = (whole[1] - whole[0]) / 1e6;
    if (to - from < least) return;
    from = Math.max(whole[0], from); to = Math.min(whole[1], to);
    const data = await ask(from, to);
    if (!data) return;
    view = [from, to];
    chart.batch(() => { chart.setData(data, true); chart.setScale("x", { min: from, max: to }); });
    const start = document.getElementById("stretch-start"), end = document.getElementById("stretch-end");
    if (start) { start.value = from.toFixed(2); end.value = to.toFixed(2); }
    document.querySelectorAll("[data-export]").forEach((a) => { a.href = a.href.replace(/start=[^&]*/, "start=" + from).replace(/end=[^&]*/, "end=" + to); });
    box.dataset.view = from.toFixed(3) + " " + to.toFixed(3);
  }

  const moves = {
    left: () => { const w = (view[1] - view[0]) / 4; const d = Math.min(w, view[0] - whole[0]); go(view[0] - d, view[1] - d); },
    right: () => { const w = (view[1] - view[0]) / 4; const d = Math.min(w, whole[1] - view[1]); go(view[0] + d, view[1] + d); },
    in: () => { const w = (view[1] - view[0]) / 4; go(view[0] + w, view[1] - w); },
    out: () => { const w = (view[1] - view[0]) / 2; go(view[0] - w, view[1] + w); },
    whole: () => go(whole[0], whole[1]),
  };
  const KEYS = { ArrowLeft: "left", ArrowRight: "right", "+": "in", "=": "in", "-": "out", 0: "whole" };

  function wheel(e) {
    const wide = view[1] - view[0];
    if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)) {
      const d = Math.max(whole[0] - view[0], Math.min(whole[1] - view[1], Math.sign(e.deltaX || e.deltaY) * wide / 8));
      e.preventDefault();
      if (d) go(view[0] + d, view[1] + d);
    } else if (e.ctrlKey) {
      const at = chart.posToVal(e.clientX - chart.over.getBoundingClientRect().left, "x"), k = e.deltaY > 0 ? 1.4 : 1 / 1.4;
      e.preventDefault();
      go(at - (at - view[0]) * k, at + (view[1] - at) * k);
    }
  }

  function touches() {
    const down = new Map();
    let from = null;
    box.addEventListener("pointerdown", (e) => { if (e.pointerType === "touch") { down.set(e.pointerId, e.clientX); from = { view: [...view], xs: [...down.values()] }; } });
    box.addEventListener("pointermove", (e) => {
      if (!down.has(e.pointerId) || !from) return;
      down.set(e.pointerId, e.clientX);
      const xs = [...down.values()], span = from.view[1] - from.view[0], wide = chart.bbox.width / devicePixelRatio;
      if (xs.length === 2 && from.xs.length === 2) {
        const k = Math.abs(from.xs[1] - from.xs[0]) / Math.max(8, Math.abs(xs[1] - xs[0])), mid = (from.view[0] + from.view[1]) / 2;
        chart.setScale("x", { min: mid - (span * k) / 2, max: mid + (span * k) / 2 });
      } else if (xs.length === 1) {
        const d = ((from.xs[0] - xs[0]) / wide) * span;
        chart.setScale("x", { min: from.view[0] + d, max: from.view[1] + d });
      }
    });
    const up = (e) => { if (down.delete(e.pointerId) && !down.size && chart) { const x = chart.scales.x; go(x.min, x.max); from = null; } };
    ["pointerup", "pointercancel"].forEach((n) => box.addEventListener(n, up));
  }

  async function draw() {
    box = document.getElementById("trace");
    if (!box || box.dataset.drawn || !window.uPlot) return;
    box.dataset.drawn = "yes";
    channels = [...box.querySelectorAll(".series")].map((s) => ({ ...s.dataset }));
    marks = [...box.querySelectorAll(".marked")].map((m) => ({ start: Number(m.dataset.start), end: Number(m.dataset.end), name: m.dataset.name }));
    units = [...new Set(channels.map((c) => c.unit))];
    whole = [Number(box.dataset.first), Number(box.dataset.last)];
    view = [Number(box.dataset.start), Number(box.dataset.end)];
    if (!channels.length) return;
    await document.fonts.ready;
    const data = await ask(view[0], view[1]);
    if (!data) return;
    chart = new uPlot(options(box.clientWidth), data, box);
    chart.setScale("x", { min: view[0], max: view[1] });
    box.dataset.view = view[0].toFixed(3) + " " + view[1].toFixed(3);
    box.addEventListener("keydown", (e) => { const move = moves[KEYS[e.key]]; if (move) { e.preventDefault(); e.stopPropagation(); move(); } });
    box.addEventListener("wheel", wheel, { passive: false });
    touches();
    new ResizeObserver(() => { if (chart && Math.abs(chart.width - box.clientWidth) > 2) chart.setSize({ width: box.clientWidth, height: chart.height }); }).observe(box);
  }

  document.addEventListener("click", (e) => { const b = e.target.closest("[data-chart]"); if (b && chart) moves[b.dataset.chart](); });
  document.addEventListener("DOMContentLoaded", draw);
  document.addEventListener("htmx:afterSettle", draw);
  draw();
})();
