// The report on paper: the owner's page, always one, then the record for the next technician.
#let d = json(bytes(sys.inputs.report))
#let ink = rgb("#0c1a28")
#let soft = rgb("#43586a")
#let edge = rgb("#b4c6d0")
#let tone = (proven: rgb("#17603f"), failed: rgb("#b63c12"), marginal: rgb("#765406"))
#let head(size, body) = text(font: ("Barlow", "Atkinson Hyperlegible Next"), stretch: 75%, weight: 600, size: size, body)

#set document(title: d.title + ": report and record", author: "Frosty Piston", date: none)
#set page(paper: "a4", margin: (x: 16mm, top: 15mm, bottom: 16mm), footer: context align(right, text(8pt, soft)[#d.title · page #counter(page).get().first() of #counter(page).final().first()]))
#set text(font: ((name: "Barlow", covers: regex("[0-9]")), "Atkinson Hyperlegible Next", "DejaVu Sans Mono"), lang: "en", region: "GB", size: 10pt, fill: ink, hyphenate: false)
#set par(leading: 0.55em, spacing: 0.65em)
#show heading.where(level: 1): it => block(below: 0.6em, head(26pt, it.body))
#show heading.where(level: 2): it => block(above: 1.2em, below: 0.5em, head(1.35em, it.body))
#set table(stroke: (x, y) => (bottom: 0.5pt + edge), inset: (x: 3pt, y: 4pt), align: left + top)

#let part(p) = block(breakable: false, width: 100%, above: 1.2em, below: 0.8em)[
  == #p.title
  #for line in p.lines [#par(line)]
]

// Two parts beside each other; a wide one takes the whole line.
#let parts(all) = {
  let waiting = none
  for p in all {
    if p.wide {
      if waiting != none { part(waiting); waiting = none }
      part(p)
    } else if waiting == none { waiting = p } else {
      block(above: 1em, grid(columns: (1fr, 1fr), gutter: 8mm, part(waiting), part(p)))
      waiting = none
    }
  }
  if waiting != none { part(waiting) }
}

#let plug(p) = {
  let colour = tone.at(p.verdict, default: if p.verdict == "sound" { tone.proven } else { soft })
  stack(dir: ttb, spacing: 3pt,
    text(8pt, soft)[#p.cylinder],
    box(width: 9pt, height: 46pt, stroke: 0.6pt + soft, align(bottom, rect(width: 100%, height: p.share * 100%, fill: colour, stroke: none))),
    text(9pt, weight: 700, fill: ink)[#p.says])
}

#let plugs = if d.plugs.len() > 0 {
  grid(columns: d.plugs.len(), column-gutter: 12mm, ..d.plugs.map(row => [
    #text(9pt, weight: 700)[#row.title: heat of each plug]
    #v(2pt)
    #figure(kind: "plugs", supplement: none, alt: row.title + ", heat of each plug: " + row.plugs.map(p => "cylinder " + p.cylinder + ", " + p.says).join("; "), grid(columns: row.plugs.len(), column-gutter: 9pt, ..row.plugs.map(plug)))
  ]))
}

#let seen = if d.seen.len() > 0 {
  grid(columns: calc.min(d.seen.len(), 4), column-gutter: 5mm, ..d.seen.map(p => stack(dir: ttb, spacing: 3pt,
    image(bytes(p.bytes), height: 34mm, width: 100%, fit: "contain", alt: p.says), text(0.85em, soft)[#p.says])))
}

#let figures = if d.figures.len() > 0 {
  table(columns: (1fr, auto, auto),
    table.header([*What shows it*], [*Before*], [*After*]),
    ..d.figures.map(x => ([#x.what \ #text(0.85em, soft)[#x.because]], strong(x.before), strong(x.after))).flatten())
}

#let owner = {
  if d.workshop != "" { grid(columns: (1fr, 1fr), align: (left, right), head(1.2em)[#d.workshop], text(0.85em, soft)[#d.note]); line(length: 100%, stroke: 0.4pt + edge) }
  grid(columns: (1fr, auto), align: (left + horizon, right + horizon), column-gutter: 6mm,
    [= #d.title
     #d.sub],
    block(stroke: (left: 3pt + tone.at(d.status, default: edge)), inset: (left: 8pt, y: 4pt))[#head(1.6em)[#d.status_word]#if d.sure != "" [ \ #head(1.3em)[#d.sure sure]]])
  line(length: 100%, stroke: 0.8pt + ink)
  for w in d.warnings {
    block(width: 100%, stroke: (left: 3pt + if w.at(0) == "stop" { tone.failed } else { tone.marginal }), inset: (left: 8pt, y: 3pt), strong(w.at(1)))
  }
  parts(d.head)
  block(above: 1em, plugs)
  block(above: 1em, seen)
  block(above: 1em, figures)
  parts(d.parts)
}

// The largest print with which the owner's page stays one page.
#layout(area => {
  let sizes = (11.5pt, 11pt, 10.5pt, 10pt, 9.5pt, 9pt, 8.5pt, 8pt, 7.5pt, 7pt, 6.5pt)
  let fits = sizes.find(s => measure(width: area.width, text(s, owner)).height <= area.height)
  text(if fits == none { sizes.last() } else { fits }, owner)
})
#pagebreak()

= Record for the next technician
#set text(9pt)
#for p in d.rest {
  [== #p.title, whole]
  for line in p.lines [#par(line)]
}
#if d.suspects.len() > 0 [
  == #d.suspects_title
  #table(columns: (auto, 1fr), table.header([*Sure*], [*Suspect, and why*]), ..d.suspects.map(x => (strong(x.sure), [*#x.title* \ #x.because])).flatten())
]
#for part in d.verdicts [
  == #part.title
  #table(columns: (19%, 17%, 13%, 13%, 1fr), table.header([*Test*], [*Where*], [*Verdict*], [*Figure*], [*Because*]),
    ..part.rows.map(r => (r.test, r.at, text(fill: tone.at(r.verdict, default: ink), weight: 700)[#r.says], strong(r.figure), r.because)).flatten())
]
== #d.tape_title
#table(columns: (auto, auto, 1fr), table.header([*When*], [*Who*], [*What*]),
  ..d.tape.map(r => (r.at, r.by, if r.gone { strike(r.says) } else { r.says })).flatten())
#text(soft)[#d.foot]
