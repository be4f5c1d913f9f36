/** Pictures to take along: what is seen of a chart, written as a drawing that any program shows. Drawings stay as they are; boxes and texts are drawn where they stand. */
const SPACE = 'http://www.w3.org/2000/svg'
const LOOKS = [
  'fill',
  'stroke',
  'stroke-width',
  'stroke-dasharray',
  'stroke-linecap',
  'stroke-linejoin',
  'opacity',
  'font-family',
  'font-size',
  'font-weight',
  'text-anchor',
  'visibility',
  'display',
  'clip-path',
]
const ROOM = 8

function drawn(name: string, attributes: Record<string, string | number>, text?: string): SVGElement {
  const made = document.createElementNS(SPACE, name)
  for (const [key, value] of Object.entries(attributes))
    made.setAttribute(key, typeof value === 'number' ? String(Math.round(value * 100) / 100) : value)
  if (text !== undefined) made.textContent = text
  return made
}
const seen = (colour: string) => colour !== 'transparent' && !/^rgba\(.*, 0\)$/.test(colour) && !/\/ 0\)$/.test(colour)

/** A drawing with its looks written into it, without what only the page needs. */
function copied(drawing: SVGSVGElement): SVGSVGElement {
  const copy = drawing.cloneNode(true) as SVGSVGElement
  const originals = [drawing, ...drawing.querySelectorAll<SVGElement>('*')]
  const copies = [copy, ...copy.querySelectorAll<SVGElement>('*')]
  originals.forEach((original, index) => {
    const looks = getComputedStyle(original)
    const target = copies[index]!
    target.removeAttribute('style')
    for (const name of LOOKS) {
      const value = looks.getPropertyValue(name)
      if (value && value !== 'none' ? true : name === 'fill' || name === 'stroke' || name === 'display')
        target.style.setProperty(name, value)
    }
    for (const name of target.getAttributeNames())
      if (name.startsWith('data-v-') || name === 'tabindex' || name === 'class') target.removeAttribute(name)
  })
  return copy
}

/** The words of a text, line by line as they are broken on the page. */
function linesOf(node: Text): { text: string; box: DOMRect; right: number }[] {
  const lines: { text: string; box: DOMRect; right: number }[] = []
  const range = document.createRange()
  for (const found of node.data.matchAll(/\S+\s*/g)) {
    range.setStart(node, found.index)
    range.setEnd(node, found.index + found[0].trimEnd().length)
    const box = range.getBoundingClientRect()
    if (!box.width) continue
    const last = lines.at(-1)
    if (last && Math.abs(last.box.top - box.top) < 2) {
      last.text += ` ${found[0].trim()}`
      last.right = box.right
    } else lines.push({ text: found[0].trim(), box, right: box.right })
  }
  return lines
}

/** Bands of plain colour, one below the other, of which a shape is made. */
function bandsOf(image: string): { colour: string; from: number; to: number }[] {
  if (!image.startsWith('linear-gradient(') || image.includes('deg')) return []
  const stops = [...image.matchAll(/((?:rgba?|color|oklab)\([^)]*\))(?: ([\d.]+)px)?/g)].map((stop) => ({
    colour: stop[1]!,
    at: stop[2] === undefined ? null : Number(stop[2]),
  }))
  return stops.flatMap((stop, index) => {
    const next = stops[index + 1]
    const from = stop.at ?? (index ? null : 0)
    if (from === null || !seen(stop.colour)) return []
    if (!next) return [{ colour: stop.colour, from, to: Infinity }]
    return next.colour === stop.colour && next.at !== null ? [{ colour: stop.colour, from, to: next.at }] : []
  })
}

function ground(
  looks: CSSStyleDeclaration,
  place: { x: number; y: number; width: number; height: number },
  out: SVGElement,
) {
  if (seen(looks.backgroundColor))
    out.append(drawn('rect', { ...place, fill: looks.backgroundColor, opacity: looks.opacity }))
  for (const band of bandsOf(looks.backgroundImage))
    out.append(
      drawn('rect', {
        ...place,
        y: place.y + band.from,
        height: Math.max(0, Math.min(band.to, place.height) - band.from),
        fill: band.colour,
        opacity: looks.opacity,
      }),
    )
}

function draw(node: Node, out: SVGElement, left: number, top: number) {
  if (node instanceof Text) {
    const looks = getComputedStyle(node.parentElement!)
    if (looks.visibility !== 'hidden')
      for (const line of linesOf(node))
        out.append(
          drawn(
            'text',
            {
              x: line.box.left - left,
              y: line.box.top - top + line.box.height * 0.77,
              textLength: line.right - line.box.left,
              lengthAdjust: 'spacingAndGlyphs',
              fill: looks.color,
              'font-family': looks.fontFamily,
              'font-size': looks.fontSize,
              'font-weight': looks.fontWeight,
            },
            line.text,
          ),
        )
    return
  }
  if (!(node instanceof Element)) return
  const box = node.getBoundingClientRect()
  const looks = getComputedStyle(node)
  const after = drawn('g', {})
  // What is only read aloud is a pixel wide.
  if (looks.display === 'none' || (looks.position === 'absolute' && box.width <= 1 && box.height <= 1)) return
  if (node instanceof SVGSVGElement) {
    const copy = copied(node)
    for (const [name, value] of Object.entries({
      x: box.left - left,
      y: box.top - top,
      width: box.width,
      height: box.height,
    }))
      copy.setAttribute(name, String(value))
    out.append(copy)
    return
  }
  const place = { x: box.left - left, y: box.top - top, width: box.width, height: box.height }
  if (box.width && box.height) {
    ground(looks, place, out)
    for (const which of ['::before', '::after']) {
      const more = getComputedStyle(node, which)
      if (more.content === 'none' || more.position !== 'absolute') continue
      const at = {
        x: place.x + parseFloat(more.left),
        y: place.y + parseFloat(more.top) + parseFloat(more.marginTop),
        width: parseFloat(more.width),
        height: parseFloat(more.height),
      }
      if (Object.values(at).every(Number.isFinite)) ground(more, at, which === '::after' ? after : out)
    }
  }
  const sides = [
    [
      looks.borderTopWidth,
      looks.borderTopColor,
      looks.borderTopStyle,
      { ...place, height: parseFloat(looks.borderTopWidth) },
    ],
    [
      looks.borderBottomWidth,
      looks.borderBottomColor,
      looks.borderBottomStyle,
      {
        ...place,
        y: place.y + place.height - parseFloat(looks.borderBottomWidth),
        height: parseFloat(looks.borderBottomWidth),
      },
    ],
    [
      looks.borderLeftWidth,
      looks.borderLeftColor,
      looks.borderLeftStyle,
      { ...place, width: parseFloat(looks.borderLeftWidth) },
    ],
    [
      looks.borderRightWidth,
      looks.borderRightColor,
      looks.borderRightStyle,
      {
        ...place,
        x: place.x + place.width - parseFloat(looks.borderRightWidth),
        width: parseFloat(looks.borderRightWidth),
      },
    ],
  ] as const
  for (const [width, colour, style, rect] of sides)
    if (parseFloat(width) && style !== 'none' && seen(colour)) out.append(drawn('rect', { ...rect, fill: colour }))
  node.childNodes.forEach((child) => draw(child, out, left, top))
  out.append(...after.childNodes)
}

/** The chart within a frame as the text of an SVG file. */
export function asSvg(frame: HTMLElement): string {
  const box = frame.getBoundingClientRect()
  // What is wider than the screen is drawn as a whole, from its beginning on.
  const scrolled = [...frame.querySelectorAll<HTMLElement>('.scroll-x')].map((part) => ({
    part,
    before: part.scrollLeft,
  }))
  for (const { part } of scrolled) part.scrollLeft = 0
  const width = Math.max(
    box.width,
    ...scrolled.map(({ part }) => part.getBoundingClientRect().left - box.left + part.scrollWidth),
  )
  const [wide, high] = [Math.ceil(width) + 2 * ROOM, Math.ceil(box.height) + 2 * ROOM]
  const whole = drawn('svg', { xmlns: SPACE, width: wide, height: high, viewBox: `0 0 ${wide} ${high}` })
  const paper = getComputedStyle(document.documentElement).getPropertyValue('--sheet').trim() || '#fff'
  whole.append(drawn('rect', { width: wide, height: high, fill: paper }))
  draw(frame, whole, box.left - ROOM, box.top - ROOM)
  for (const { part, before } of scrolled) part.scrollLeft = before
  return new XMLSerializer().serializeToString(whole)
}

async function asPng(frame: HTMLElement): Promise<Blob> {
  const image = new Image()
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(asSvg(frame))}`
  await image.decode()
  const canvas = document.createElement('canvas')
  canvas.width = image.naturalWidth * 2
  canvas.height = image.naturalHeight * 2
  canvas.getContext('2d')!.drawImage(image, 0, 0, canvas.width, canvas.height)
  return new Promise((resolve, reject) =>
    canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error('no picture'))), 'image/png'),
  )
}

/** Hand a chart over as a file. */
export async function savePicture(frame: HTMLElement, name: string, form: 'svg' | 'png') {
  handOver(form === 'svg' ? new Blob([asSvg(frame)], { type: 'image/svg+xml' }) : await asPng(frame), name, form)
}

/** Hand something over as a file. */
export function handOver(blob: Blob, name: string, form: string) {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = `${name
    .replace(/[^\p{L}\p{N}]+/gu, '-')
    .replace(/^-|-$/g, '')
    .toLowerCase()}.${form}`
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
}
