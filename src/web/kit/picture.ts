const PAINTS = ['fill', 'stroke'] as const

/** A drawing as a file of its own: colours that come from the page are written in, and so is its ground. */
export function standalone(picture: SVGSVGElement): string {
  const copy = picture.cloneNode(true) as SVGSVGElement
  const originals = [picture, ...picture.querySelectorAll('*')]
  ;[copy, ...copy.querySelectorAll('*')].forEach((element, i) => {
    const original = originals[i]
    if (!original) return
    const style = getComputedStyle(original)
    for (const paint of PAINTS)
      if (element.getAttribute(paint)?.startsWith('var(')) element.setAttribute(paint, style.getPropertyValue(paint) || 'none')
  })
  const page = getComputedStyle(document.body)
  const { width, height } = picture.getBoundingClientRect()
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg')
  copy.setAttribute('width', String(Math.round(width)))
  copy.setAttribute('height', String(Math.round(height)))
  copy.setAttribute('font-family', page.fontFamily)
  const ground = document.createElementNS('http://www.w3.org/2000/svg', 'rect')
  for (const [name, value] of Object.entries({ width: '100%', height: '100%', fill: page.backgroundColor })) ground.setAttribute(name, value)
  copy.prepend(ground)
  return new XMLSerializer().serializeToString(copy)
}
