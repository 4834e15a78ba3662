// One paper of the workshop, block by block; the letterhead on top, the page number below.
#let d = json(bytes(sys.inputs.sheet))
#let ink = rgb("#0c1a28")
#let soft = rgb("#43586a")
#let edge = rgb("#b4c6d0")
#let tone = (stop: rgb("#b63c12"), soon: rgb("#765406"), watch: rgb("#765406"))
#let head(size, body) = text(font: ("Barlow", "Atkinson Hyperlegible Next"), stretch: 75%, weight: 600, size: size, body)

#set document(title: d.title, author: if d.workshop == "" { "Frosty Piston" } else { d.workshop }, date: none)
#set page(paper: "a4", flipped: d.wide, margin: (x: 16mm, top: 15mm, bottom: 16mm), footer: context align(right, text(8pt, soft)[#d.title · page #counter(page).get().first() of #counter(page).final().first()]))
#set text(font: ((name: "Barlow", covers: regex("[0-9]")), "Atkinson Hyperlegible Next", "DejaVu Sans Mono"), lang: "en", region: "GB", size: 10pt, fill: ink, hyphenate: false)
#set par(leading: 0.55em, spacing: 0.65em)
#show heading.where(level: 1): it => block(below: 0.6em, head(24pt, it.body))
#show heading.where(level: 2): it => block(above: 1.2em, below: 0.5em, head(1.35em, it.body))
#set table(stroke: (x, y) => (bottom: 0.5pt + edge), inset: (x: 3pt, y: 4pt), align: left + top)

#let titled(b) = if b.title != "" [== #b.title]

#let blocks = (
  lines: b => { titled(b); for line in b.lines [#par(line)] },
  big: b => block(width: 100%, stroke: 1.6pt + ink, inset: 14pt)[#head(17pt)[#b.head] \ #head(26pt)[#b.text]#for line in b.lines [#par(text(15pt)[#line])]],
  codes: b => for (name, code, says) in b.rows { block(below: 0.9em, grid(columns: (12mm, 1fr, auto), align: horizon, head(20pt)[#name], text(20pt, font: ("DejaVu Sans Mono"), tracking: 1.2pt)[#code], text(soft)[#says])) },
  table: b => { titled(b); table(columns: b.widths.map(w => w * 1fr), table.header(..b.head.map(h => strong(h))), ..b.rows.flatten()) },
  warning: b => block(width: 100%, stroke: (left: 3pt + tone.at(b.urgency, default: edge)), inset: (left: 8pt, y: 4pt), strong(b.text)),
  sign: b => { titled(b); for line in b.lines [#par(line)]; v(6mm); for field in b.fields { block(below: 9mm, grid(columns: (40mm, 1fr), align: bottom, text(soft)[#field], line(length: 100%, stroke: 0.7pt + ink))) } },
  pictures: b => grid(columns: calc.min(b.items.len(), 3), column-gutter: 5mm, ..b.items.map(p => stack(dir: ttb, spacing: 3pt, image(bytes(p.bytes), height: 46mm, width: 100%, fit: "contain", alt: p.says), text(0.85em, soft)[#p.says]))),
  drawing: b => image(bytes(b.svg), format: "svg", width: 100%, height: 110mm, fit: "contain", alt: b.says),
)

#let all = for b in d.blocks { block(width: 100%, above: 1em, (blocks.at(b.kind))(b)) }
#let top = {
  if d.workshop != "" { grid(columns: (1fr, 1fr), align: (left, right), head(13pt)[#d.workshop], text(9pt, soft)[#d.note]); line(length: 100%, stroke: 0.8pt + ink) }
  [= #d.title]
  if d.sub != "" { text(soft)[#d.sub] }
}

#if d.one_page {
  layout(area => {
    let sizes = (11.5pt, 11pt, 10.5pt, 10pt, 9.5pt, 9pt, 8.5pt, 8pt, 7.5pt, 7pt, 6.5pt)
    let whole = top + all
    let fits = sizes.find(s => measure(width: area.width, text(s, whole)).height <= area.height)
    text(if fits == none { sizes.last() } else { fits }, whole)
  })
} else { top; all }
