// The PDF report: gives each block of document.json its form. Texts come as data, never as markup.
#let doc = json("document.json")
#let colour(name) = rgb(doc.colours.at(name))
#let sans = ("DejaVu Sans", "Liberation Sans", "Noto Sans", "Arial", "Helvetica Neue", "Segoe UI")
#let serif = ("Libertinus Serif",)
#let mono = ("DejaVu Sans Mono",)
#let hair = 0.2mm + colour("line")

#set document(title: doc.title, author: doc.author)
#set text(font: sans, size: 9.5pt, fill: colour("ink"), lang: "en", hyphenate: false)
#set par(leading: 0.62em, spacing: 2.4mm)
#set list(marker: none, indent: 0pt, body-indent: 0pt, spacing: 1.9mm)

#let small(body) = text(size: 8.5pt, fill: colour("soft"), body)
// An empty box: a line may end there, and nothing of it is in a copied text.
#let broken(words) = words.split("\u{200b}").join(box())
#let span(part) = {
  let body = broken(part.text)
  if part.at("mono", default: false) { body = text(font: mono, size: 8.2pt, body) }
  if part.at("bold", default: false) { body = strong(body) }
  let fill = part.at("fill", default: "")
  if fill == "soft" { body = text(fill: colour(fill), weight: "regular", body) }
  else if fill != "" { body = text(fill: colour(fill), body) }
  let to = part.at("to", default: "")
  if to != "" { link(label(to), body) } else { body }
}
#let line-of(spans) = spans.map(span).join()

#let chapter-here() = {
  let chapters = query(heading.where(level: 1))
  let page = here().page()
  let before = chapters.filter(it => it.location().page() < page)
  let on-it = chapters.filter(it => it.location().page() == page)
  if on-it.len() > 0 { on-it.first().body } else if before.len() > 0 { before.last().body }
}
#set page(
  paper: doc.paper,
  margin: (x: 18mm, top: 24mm, bottom: 20mm),
  header: context if here().page() > 1 {
    small(grid(columns: (1fr, auto), gutter: 5mm, broken(doc.front.title), strong(doc.front.word)))
  },
  footer: context small(grid(
    columns: (1fr, auto),
    if here().page() > 1 { chapter-here() },
    [#counter(page).display() of #counter(page).final().first()],
  )),
)
#show heading.where(level: 1): it => block(
  width: 100%, above: 8mm, below: 3.5mm, inset: (bottom: 1.6mm), stroke: (bottom: 0.3mm + colour("line")), sticky: true,
  text(font: serif, size: 14pt, weight: "bold", it.body),
)
#show heading.where(level: 2): it => block(above: 5mm, below: 2mm, sticky: true, text(size: 10.5pt, weight: "bold", it.body))

#let blocks = (
  heading: it => [#heading(level: it.level, line-of(it.line))#if it.id != "" { label(it.id) }],
  paragraph: it => if it.message {
    par(spacing: 2.6mm, text(font: serif, size: 11.5pt, weight: "bold", line-of(it.line)))
  } else if it.with_next {
    block(sticky: true, above: 2.4mm, below: 2.4mm, par(line-of(it.line)))
  } else {
    par(line-of(it.line))
  },
  items: it => list(..it.lines.map(((depth, spans)) => pad(left: depth * 5mm, line-of(spans)))),
  table: it => {
    set text(size: 8.8pt)
    table(
      columns: it.columns.clusters().map(letter => if letter == "w" { 1fr } else { auto }),
      align: (at, _) => if it.columns.clusters().at(at) == "r" { right + top } else { left + top },
      inset: (x, _) => (left: if x == 0 { 0pt } else { 1.5mm }, right: if x + 1 == it.columns.len() { 0pt } else { 1.5mm }, y: 1.2mm),
      stroke: (x: none, top: none, bottom: hair),
      table.header(..it.head.map(name => text(fill: colour("soft"), name))),
      ..it.rows.map(row => row.map(line-of)).flatten(),
    )
  },
  verbatim: it => block(
    width: 100%, above: 2.4mm, below: 2mm, inset: (x: 3mm, y: 2.2mm), fill: colour("wash"),
    text(font: mono, size: 7.6pt, it.lines.map(broken).join(linebreak())),
  ),
  picture: it => block(breakable: false, above: 3mm, below: 3mm, {
    if it.width_mm > 0 {
      block(stroke: hair, image(it.file, alt: it.words, width: it.width_mm * 1mm))
      small(line-of(it.caption))
    } else {
      line-of(it.caption)
      block(above: 2mm, image(it.file, alt: it.words, width: 100%))
    }
  }),
  contents: it => for (id, title) in it.chapters {
    block(above: 2mm, below: 2mm, link(label(id), {
      title
      box(width: 1fr, inset: (x: 1mm), repeat(gap: 1.5pt)[.])
      context counter(page).at(label(id)).first()
    }))
  },
)

#let front = doc.front
#v(-10mm)
#block(width: 100%, stroke: (bottom: 1.2mm + colour("accent")), inset: (bottom: 4mm), grid(
  columns: (if front.logo != "" { auto } else { 0mm }, 1fr, 46mm),
  column-gutter: if front.logo != "" { 7mm } else { 0mm },
  align: (left + horizon, left + horizon, right + horizon),
  if front.logo != "" { image(front.logo, alt: if front.organisation != "" { front.organisation } else { "Logo" }, width: 48mm, height: 14mm, fit: "contain") },
  {
    if front.organisation != "" and front.logo == "" { block(below: 1.5mm, small(broken(front.organisation))) }
    title(text(size: 13pt, weight: "bold", broken(front.title)))
    if front.identity != "" { block(above: 2mm, small(broken(front.identity))) }
  },
  small(front.when),
))
#block(above: 9mm, inset: (left: 5mm, y: 1mm), stroke: (left: 2.2mm + colour(front.fill)), {
  par(spacing: 3mm, text(font: serif, size: 29pt, weight: "bold", fill: colour(front.fill), front.word))
  par(text(font: serif, size: 15pt, broken(front.why)))
})
#if front.remarks.len() > 0 { v(3mm) + text(fill: colour("soft"), list(..front.remarks.map(remark => [– #broken(remark)]))) }

#for it in doc.blocks { blocks.at(it.block)(it) }

#pdf.attach(doc.attached.first(), relationship: "data", mime-type: "application/json", description: doc.attached.last())
