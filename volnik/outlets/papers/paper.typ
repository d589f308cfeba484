// A paper of Volnik: its content comes as JSON, every word and figure already told by the house.
#let paper = json(bytes(sys.inputs.paper))
#let small = 8.5pt
#let ink = rgb("#17130c")
#let faded = rgb("#4a4236")
#let copper = rgb("#c4752d")

#set document(title: paper.title, author: paper.shop, date: datetime(
  year: paper.day.at(0), month: paper.day.at(1), day: paper.day.at(2)))
#set text(font: "Atkinson Hyperlegible Next", size: paper.pt * 1pt, fill: ink, lang: paper.lang.at(0), region: paper.lang.at(1, default: none))
#set page(
  paper: paper.size,
  margin: (x: 14mm, top: 12mm, bottom: 14mm),
  footer: context [
    #set text(size: 7.5pt, fill: faded)
    #paper.foot #h(1fr) #counter(page).display("1 / 1", both: true)
  ],
)
#set par(leading: 0.5em, spacing: 0.62em)
#set list(marker: box(width: 4pt, height: 4pt, fill: copper, baseline: -2pt), indent: 0pt, body-indent: 5pt, spacing: 0.5em)
#show regex("[0-9][0-9.,]* (%|(Ah|kWh|A|V|W|h|m)\\b)"): it => box(it) // a figure keeps its unit beside it
#show heading.where(level: 1): it => block(above: 0pt, below: 8pt, text(size: 19pt, weight: 700, it.body))
#show heading.where(level: 2): it => block(
  above: 12pt, below: 6pt, width: 100%, stroke: (bottom: 0.8pt + ink), inset: (bottom: 2.5pt),
  text(size: 1.13em, weight: 700, it.body))

#let label(block_) = rect(
  width: 100%, height: 30mm, stroke: (paint: faded, thickness: 0.6pt, dash: "dashed"), inset: 4mm,
  align(horizon, if block_.kind == "code" {
    grid(columns: (22mm, 1fr), column-gutter: 4mm, align: horizon,
      image(bytes(paper.code), format: "svg", width: 22mm, alt: "Code: " + block_.lines.first()),
      [#text(size: 13pt, weight: 700, block_.title) \ #text(size: 7.5pt, block_.lines.first())])
  } else [
    #text(size: 15pt, weight: 700, block_.title) \ #block_.lines.join(linebreak())
  ]),
)

#let shown(block_) = if block_.kind == "label" or block_.kind == "code" { label(block_) } else [
  == #block_.title
  #if block_.kind == "drawing" {
    if paper.drawing != "" {
      image(bytes(paper.drawing), format: "svg", width: 100%, alt: block_.lines.first())
    }
    block_.lines.first()
  } else if block_.kind == "photos" and paper.photos.len() == 0 {
    list(..block_.lines)
  } else if block_.kind == "photos" {
    grid(columns: (1fr, 1fr), gutter: 5mm, ..block_.lines.enumerate().map(((at, caption)) => block(
      breakable: false, [#image("photo-" + str(at) + ".jpg", width: 100%, alt: caption) #text(size: small, caption)],
    )))
  } else if block_.kind == "caution" {
    block(width: 100%, stroke: 1.4pt + ink, inset: 5pt, text(weight: 700, block_.lines.join(" ")))
  } else if block_.kind == "table" {
    table(
      columns: block_.columns.map(share => share * 1fr), stroke: none, inset: (x: 0pt, y: 3pt),
      column-gutter: 6pt,
      ..if block_.head.len() > 0 {
        (table.header(..block_.head.map(cell => text(size: small, fill: faded, cell))),)
      },
      ..block_.rows.flatten(),
    )
  } else if block_.kind == "blanks" {
    for asked in block_.lines {
      block(above: 11pt, below: 0pt)[#asked #box(width: 1fr, line(length: 100%, stroke: 0.6pt + faded))]
    }
  } else if block_.kind == "list" {
    list(..block_.lines)
  } else {
    for told in block_.lines { par(told) }
  }
]

= #paper.title
#text(size: 11pt, fill: faded, paper.subtitle)
#if paper.lead != "" { block(above: 8pt, below: 9pt, text(size: 13pt, weight: 700, paper.lead)) }

#v(3pt)
#let stacked(parts) = { for part in parts { shown(part) } }
#if paper.left > 0 {
  grid(
    columns: (1fr, 1fr), column-gutter: 9mm,
    stacked(paper.blocks.slice(0, paper.left)), stacked(paper.blocks.slice(paper.left)),
  )
} else if paper.key == "labels" {
  grid(columns: (1fr, 1fr), gutter: 4mm, ..paper.blocks.map(shown))
} else {
  stacked(paper.blocks)
}

#if paper.signatures.len() > 0 {
  block(above: 10pt, breakable: false, grid(
    columns: paper.signatures.map(_ => 1fr), gutter: 10mm,
    ..paper.signatures.map(who => [
      #v(11mm)
      #line(length: 100%, stroke: 0.8pt + ink)
      #text(size: small)[#who]
    ]),
  ))
}
