/* What a page must not have, as rendered: sideways scroll, small text, small targets, broken units. */
(phone) => {
  const faults = [], shown = (e) => e.checkVisibility({ visibilityProperty: true, opacityProperty: true }) && e.getClientRects().length > 0;
  const named = (e) => e.tagName.toLowerCase() + (e.id ? "#" + e.id : "") + (e.className && e.className.baseVal === undefined ? "." + String(e.className).trim().split(/\s+/).join(".") : e.className && e.className.baseVal ? "." + e.className.baseVal : "");
  const root = document.documentElement;
  if (root.scrollWidth > root.clientWidth + 1) {
    const wide = [...document.body.querySelectorAll("*")].filter((e) => shown(e) && e.getBoundingClientRect().right > root.clientWidth + 1 && !e.closest(".scrollx, svg")).slice(0, 3).map(named);
    faults.push("sideways scroll: " + root.scrollWidth + " of " + root.clientWidth + " by " + wide.join(", "));
  }
  const scaled = (e) => { const svg = e.closest("svg"); if (!svg) return 1; const m = e.getScreenCTM && e.getScreenCTM(); return m ? Math.hypot(m.a, m.b) : 1; };
  const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT), small = new Map();
  while (walker.nextNode()) {
    const text = walker.currentNode, e = text.parentElement;
    if (!text.textContent.trim() || !e || e.closest("script, style, template, noscript, option, .visually-hidden, .skip") || !shown(e)) continue;
    const size = parseFloat(getComputedStyle(e).fontSize) * scaled(e);
    if (size < 11.95) small.set(named(e), size.toFixed(1) + " px: " + text.textContent.trim().slice(0, 20));
  }
  for (const [who, what] of small) faults.push("small text " + who + " " + what);
  const blocks = new Map(), again = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  const holds = (e) => { while (e !== document.body && getComputedStyle(e).display.startsWith("inline")) e = e.parentElement; return e; };
  while (again.nextNode()) {
    const e = again.currentNode.parentElement;
    if (!e || e.closest("script, style, template, noscript, textarea, option, code, kbd, svg, .skip, .sr") || !shown(e)) continue;
    const block = holds(e);
    if (!blocks.has(block)) blocks.set(block, []);
    blocks.get(block).push(again.currentNode);
  }
  const top = (node, at) => { const r = document.createRange(); r.setStart(node, at); r.setEnd(node, at + 1); const b = r.getBoundingClientRect(); return (b.top + b.bottom) / 2; };
  for (const nodes of blocks.values()) {
    const signs = nodes.flatMap((node) => [...node.textContent].length === node.textContent.length ? [...node.textContent].map((c, at) => [c, node, at]) : []);
    const text = signs.map((x) => x[0]).join("");
    for (const m of text.matchAll(/\d([\s\u00a0\u202f]+)(%|°C|kΩ|MΩ|Ω|mV|V|A|kPa|bar|mg|ml|mm³|mm|km\/h|km|ppm|rpm|min|s|h|N m|kr)(?![\w³])/g)) {
      const first = signs[m.index], unit = signs[m.index + 1 + m[1].length];
      if (Math.abs(top(first[1], first[2]) - top(unit[1], unit[2])) > 14) faults.push("broken unit: " + text.slice(Math.max(0, m.index - 12), m.index + 8).trim());
    }
    for (const m of text.matchAll(/(?<!\.)\b(egr|dpf|nox|scr|def|ecu|obd|pwm|ntc|mdf|csv)\b/g)) faults.push("lowered abbreviation: " + text.slice(Math.max(0, m.index - 12), m.index + 16).trim());
    for (const m of text.matchAll(/\(\s*\)|\b1[\s\u00a0](pieces|entries|readings|minutes|hours|days|parts|codes|gaps|recordings|jobs|tests|times|kilometres)\b/g)) faults.push("odd words: " + text.slice(Math.max(0, m.index - 20), m.index + 14).trim());
  }
  if (phone && root.scrollHeight > 4.02 * innerHeight && innerHeight > 800) faults.push("long page: " + (root.scrollHeight / innerHeight).toFixed(1) + " screens");
  if (phone) {
    const tight = new Map();
    for (const e of document.querySelectorAll("a[href], button, input:not([type=hidden]), select, textarea, summary, [tabindex='0'][role=button]")) {
      if (!shown(e) || e.closest(".skip") || e.disabled) continue;
      const inline = e.tagName === "A" && getComputedStyle(e).display === "inline" && [...e.parentElement.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim().length > 1);
      if (inline) continue;
      const label = e.matches("[type=checkbox], [type=radio]") && e.closest("label"), r = (label || e).getBoundingClientRect();
      if (r.height < 43.5 || r.width < 43.5) tight.set(named(e), Math.round(r.width) + " x " + Math.round(r.height) + " " + (e.textContent || e.name || "").trim().slice(0, 24));
    }
    for (const [who, what] of tight) faults.push("small target " + who + " " + what);
  }
  return faults;
}
