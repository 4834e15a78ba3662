/* Arrows and circles on a picture: two presses each. They are drawn by the server, on a copy. */
(function () {
  "use strict";
  const NS = "http://www.w3.org/2000/svg", share = (v) => Math.min(1, Math.max(0, v)).toFixed(4).replace(/0+$/, "").replace(/\.$/, "");
  let from = null, marks = [];

  const make = (name, given) => {
    const el = document.createElementNS(NS, name);
    for (const [key, value] of Object.entries(given)) el.setAttribute(key, value);
    return el;
  };

  function draw(place) {
    const on = place.querySelector(".drawnmarks"), box = place.getBoundingClientRect();
    on.replaceChildren();
    for (const m of marks) {
      const [x, y, tx, ty] = [m.x, m.y, m.tx, m.ty].map((v) => v * 1000);
      if (m.kind === "circle") {
        const r = Math.hypot((m.tx - m.x) * box.width, (m.ty - m.y) * box.height);
        on.append(make("ellipse", { cx: x, cy: y, rx: (r / box.width) * 1000, ry: (r / box.height) * 1000 }));
      } else {
        on.append(make("path", { d: "M" + x + " " + y + "L" + tx + " " + ty }), make("circle", { cx: tx, cy: ty, r: 9 }));
      }
    }
    if (from) on.append(make("circle", { cx: from.x * 1000, cy: from.y * 1000, r: 6 }));
    const form = document.getElementById(place.dataset.marks);
    form.elements.marks.value = marks.map((m) => [m.kind, share(m.x), share(m.y), share(m.tx), share(m.ty)].join(" ")).join("\n");
  }

  document.addEventListener("click", (event) => {
    const place = event.target.closest && event.target.closest(".markplace");
    if (!place) return;
    const box = place.getBoundingClientRect(), at = { x: (event.clientX - box.left) / box.width, y: (event.clientY - box.top) / box.height };
    const kind = document.getElementById(place.dataset.marks).elements.kind.value;
    if (from) { marks.push({ kind, x: from.x, y: from.y, tx: at.x, ty: at.y }); from = null; } else from = at;
    draw(place);
  });
  document.addEventListener("htmx:afterSettle", () => { from = null; marks = []; });
})();
