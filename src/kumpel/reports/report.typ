// The look of a report on paper. The document comes as JSON in sys.inputs.
#let doc = json(bytes(sys.inputs.document))
#let ink = rgb("#1d2b33")
#let soft = rgb("#5d6a71")
#let line-colour = rgb("#ddd8cc")
#let brass-soft = rgb("#f1e4c6")
#let colours = (
  "within": rgb("#2d7f78"),
  "action level reached": rgb("#b8740b"),
  "above limit": rgb("#ad3a1f"),
  "not assessable": rgb("#7b8489"),
)
// Typst files the semi-condensed cut under its family, as a stretch.
#let narrow(..a, body) = text(stretch: 87.5%, ..a, body)

// Shape, colour and words: never colour alone.
#let mark(verdict) = {
  let c = colours.at(verdict, default: soft)
  let size = 7pt
  box(baseline: 0.5pt, width: size, height: size, {
    if verdict == "within" { circle(radius: size / 2 - 0.5pt, stroke: 1.1pt + c) }
    else if verdict == "action level reached" {
      place(circle(radius: size / 2 - 0.5pt, stroke: 1.1pt + c))
      place(box(width: size / 2, height: size, clip: true, circle(radius: size / 2, fill: c)))
    }
    else if verdict == "above limit" { rect(width: size, height: size, fill: c) }
    else { rect(width: size, height: size, stroke: 0.6pt + c, fill: tiling(size: (2.4pt, 2.4pt), std.line(start: (0pt, 2.4pt), end: (2.4pt, 0pt), stroke: 0.7pt + c))) }
  })
}
// Which verdict it is stands in words; the shape beside them is decoration to whoever hears the page.
#let said(verdict, words) = if not verdict in colours or words.starts-with(verdict) { words } else if words == "" { verdict } else { verdict + ": " + words }
#let verdict-text(verdict, words) = narrow(fill: colours.at(verdict, default: soft), weight: 500)[#pdf.artifact(mark(verdict)) #h(2pt) #said(verdict, words)]

#set document(title: doc.title + ", " + doc.subtitle, author: "Kumpel")
#let small = doc.paper == "a5"
#let tight = doc.at("tight", default: 1.0)
#set page(paper: doc.paper, margin: if small { (x: 12mm, top: 11mm, bottom: 13mm) } else if tight < 1.0 { (x: 17mm, top: 11mm, bottom: 13mm) } else { (x: 17mm, top: 14mm, bottom: 16mm) }, footer: context {
  set text(7.5pt, fill: soft, stretch: 87.5%)
  grid(columns: (1fr, auto), doc.footer, [page #counter(page).display() of #counter(page).final().first()])
})
// Names of any script: what Barlow has not, Noto has; numbers and Latin letters stay in Barlow.
#set text(font: ("Barlow", "Noto Sans", "Noto Sans CJK SC", "Noto Color Emoji"), size: 9pt, fill: ink, lang: "en", number-type: "lining", number-width: "tabular")
#set par(leading: 0.5em)
#show heading: it => block(above: 9pt * tight, below: 4.5pt * tight, narrow(size: 10.5pt, weight: 600, it.body))

#if doc.house != "" or doc.logo != "" {
  grid(columns: (1fr, auto), column-gutter: 10pt, align: (left + horizon, right + horizon),
    [#if doc.house != "" { narrow(size: 10.5pt, weight: 600, doc.house) } #if doc.address != "" [ \ #text(size: 8pt, fill: soft, doc.address.split("\n").join(", "))]],
    if doc.logo != "" { box(height: 11mm, image(bytes(doc.logo), format: "svg", height: 11mm, alt: "Logo of " + doc.house)) },
  )
  v(1pt)
}
#grid(columns: (auto, 1fr, auto), column-gutter: 10pt, align: (left + horizon, left + horizon, right + top),
  circle(radius: 16pt, fill: brass-soft, stroke: none, align(center + horizon, narrow(weight: 600, size: 9.5pt, fill: rgb("#5d430d"), doc.token))),
  [#narrow(size: 17pt, weight: 600, doc.title) \ #text(fill: soft, doc.subtitle)],
  if doc.draft { text(size: 8pt, fill: soft)[draft, not issued] },
)
#if doc.words != "" {
  v(-2pt)
  text(size: 11pt, verdict-text(doc.verdict, doc.words))
}
#v(2pt)
#std.line(length: 100%, stroke: 0.8pt + rgb("#b98a2e"))

#let facts(p) = {
  if p.title != "" [= #p.title]
  grid(columns: (auto, 1fr, auto, 1fr), column-gutter: 10pt, row-gutter: 4.5pt,
    ..p.facts.map(f => (text(fill: soft, f.label), f.value)).flatten())
}
#let figures(p) = [
  = #p.title
  #table(columns: (1fr, auto, auto, auto, auto), align: (left, right, left, right, left), stroke: none, inset: (x: 4pt, y: 3pt * tight),
    table.hline(stroke: 0.6pt + line-colour),
    table.header(..("Figure", "Value", "Unit", "Limit", "Verdict").map(t => text(fill: soft, size: 8pt, t))),
    ..p.lines.map(l => (table.hline(stroke: 0.4pt + line-colour), l.name, narrow(weight: 600, l.value), text(fill: soft, l.unit), l.limit,
      if l.verdict != "" { verdict-text(l.verdict, l.words) } else { [] })).flatten(),
    table.hline(stroke: 0.6pt + line-colour),
  )
]
#let data-table(p) = [
  = #p.title
  #if p.rows.len() == 0 { text(fill: soft, p.empty) } else {
    // What many columns leave for the first one may be nothing at all: then it takes what it needs.
    table(columns: if p.at("even", default: false) { (1fr,) * p.columns.len() } else if p.columns.len() > 6 { (auto,) * p.columns.len() } else { (1fr,) + (auto,) * (p.columns.len() - 1) }, align: (x, y) => if x == 0 { left } else { right }, stroke: none, inset: (x: 4pt, y: 2.6pt * tight),
      table.hline(stroke: 0.6pt + line-colour),
      table.header(..p.columns.map(t => text(fill: soft, size: 8pt, t))),
      ..p.rows.map(r => (table.hline(stroke: 0.4pt + line-colour), ..r)).flatten(),
    )
  }
]
#let picture(p) = block(breakable: false, width: 100%, ..if p.at("to_scale", default: false) { (spacing: 3pt) })[
  #if p.title != "" [= #p.title]
  #if p.at("to_scale", default: false) { image(bytes(p.svg), format: "svg", alt: p.text) } else { align(center, image(bytes(p.svg), format: "svg", width: 100% * tight, alt: p.text)) }
]
#let signature(p) = block(breakable: false, above: 18pt * tight, grid(columns: (1fr, 1fr), column-gutter: 30pt, row-gutter: 3pt,
  align(bottom, box(height: 20pt, align(bottom, p.name))), align(bottom, box(height: 20pt, align(bottom, p.date))),
  std.line(length: 100%, stroke: 0.6pt + ink), std.line(length: 100%, stroke: 0.6pt + ink),
  text(size: 8pt, fill: soft)[responsible person], text(size: 8pt, fill: soft)[date, signature]))

#let lines(p) = [
  = #p.title
  #set text(size: 10pt)
  #list(marker: text(fill: rgb("#b98a2e"), sym.bullet), spacing: 6pt, ..p.lines)
]
#let write-in(p) = block(breakable: false, width: 100%)[
  = #p.title
  #table(columns: p.widths.map(w => w * 1fr), rows: (auto,) + (9mm,) * p.rows, stroke: (x, y) => (bottom: 0.4pt + soft), inset: (x: 4pt, y: 3pt),
    table.header(..p.columns.map(t => text(fill: soft, size: 8pt, t))),
    ..range(p.rows * p.columns.len()).map(_ => []))
]
#let one(p) = {
  if p.part == "facts" { facts(p) }
  else if p.part == "figures" { figures(p) }
  else if p.part == "table" { data-table(p) }
  else if p.part == "text" [
    = #p.title
    #if p.text.trim() == "" { text(fill: soft)[none written] } else { p.text }
  ]
  else if p.part == "signature" { signature(p) }
  else if p.part == "picture" { picture(p) }
  else if p.part == "list" { lines(p) }
  else if p.part == "write-in" { write-in(p) }
}
// Halves that follow each other stand in pairs; a last one alone keeps its half.
#let halves(row) = block(breakable: false, grid(columns: (1fr, 1fr), column-gutter: 12pt, row-gutter: 4pt, ..row.map(one)))
#{
  let row = ()
  for (i, p) in doc.parts.enumerate() {
    if p.size == "half" {
      row.push(p)
      if row.len() == 2 or i + 1 == doc.parts.len() or doc.parts.at(i + 1).size != "half" {
        halves(row)
        row = ()
      }
    } else if p.size == "page" {
      pagebreak(weak: true)
      one(p)
    } else if p.size == "strip" {
      block(breakable: false, one(p))
    } else { one(p) }
  }
}
