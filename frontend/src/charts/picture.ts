/** Pictures to take along. A chart that is one drawing is written as it stands; what is made of tables and text goes through a library. */
const LOOKS = ['fill', 'stroke', 'stroke-width', 'stroke-dasharray', 'stroke-linecap', 'stroke-linejoin', 'opacity', 'font-family', 'font-size', 'font-weight', 'text-anchor', 'visibility', 'display']
const ROOM = 8

function drawingIn(frame: HTMLElement): SVGSVGElement | null {
  const drawings = frame.querySelectorAll<SVGSVGElement>('svg')
  return drawings.length === 1 && frame.innerText.trim() === drawings[0]!.textContent?.trim() ? drawings[0]! : null
}

function paper(): string {
  return getComputedStyle(document.documentElement).getPropertyValue('--sheet').trim() || '#fff'
}

/** The drawing with its looks written into it, so that any program shows it as it was seen. */
function written(drawing: SVGSVGElement): string {
  const copy = drawing.cloneNode(true) as SVGSVGElement
  const originals = [drawing, ...drawing.querySelectorAll<SVGElement>('*')]
  const copies = [copy, ...copy.querySelectorAll<SVGElement>('*')]
  originals.forEach((original, index) => {
    const seen = getComputedStyle(original)
    const target = copies[index]!
    for (const name of LOOKS) {
      const value = seen.getPropertyValue(name)
      if (value) target.style.setProperty(name, value)
    }
    for (const name of target.getAttributeNames()) if (name.startsWith('data-v-') || name === 'tabindex') target.removeAttribute(name)
  })
  const { width, height } = drawing.getBoundingClientRect()
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg')
  copy.setAttribute('width', String(width + 2 * ROOM))
  copy.setAttribute('height', String(height + 2 * ROOM))
  const box = drawing.viewBox.baseVal
  const scale = box.width ? box.width / width : 1
  copy.setAttribute('viewBox', [box.x - ROOM * scale, box.y - ROOM * scale, (box.width || width) + 2 * ROOM * scale, (box.height || height) + 2 * ROOM * scale].join(' '))
  const ground = document.createElementNS('http://www.w3.org/2000/svg', 'rect')
  for (const [name, value] of Object.entries({ x: box.x - ROOM * scale, y: box.y - ROOM * scale, width: '100%', height: '100%', fill: paper() })) ground.setAttribute(name, String(value))
  copy.prepend(ground)
  return new XMLSerializer().serializeToString(copy)
}

async function asSvg(frame: HTMLElement): Promise<string> {
  const drawing = drawingIn(frame)
  if (drawing) return written(drawing)
  const { toSvg } = await import('html-to-image')
  const address = await toSvg(frame, { backgroundColor: paper(), skipFonts: true })
  return decodeURIComponent(address.slice(address.indexOf(',') + 1))
}

async function asPng(frame: HTMLElement): Promise<Blob> {
  const image = new Image()
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(await asSvg(frame))}`
  await image.decode()
  const canvas = document.createElement('canvas')
  canvas.width = image.naturalWidth * 2
  canvas.height = image.naturalHeight * 2
  canvas.getContext('2d')!.drawImage(image, 0, 0, canvas.width, canvas.height)
  return new Promise((resolve, reject) => canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error('no picture'))), 'image/png'))
}

/** Hand a chart over as a file. */
export async function savePicture(frame: HTMLElement, name: string, form: 'svg' | 'png') {
  const blob = form === 'svg' ? new Blob([await asSvg(frame)], { type: 'image/svg+xml' }) : await asPng(frame)
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = `${name.replace(/[^\p{L}\p{N}]+/gu, '-').replace(/^-|-$/g, '').toLowerCase()}.${form}`
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
}
