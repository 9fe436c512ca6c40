// What of a page is out of reach, covered, too small to be hit, or cut off: one sentence each.
() => {
  const SMALLEST = 24 // CSS pixels: WCAG 2.2, target size (minimum), with its exception for targets that stand alone
  const wrong = new Set()
  const page = document.documentElement
  const visible = (element) => {
    const box = element.getBoundingClientRect()
    const how = { contentVisibilityAuto: true, opacityProperty: true, visibilityProperty: true }
    return element.checkVisibility(how) && box.width > 0 && box.height > 0
  }
  const name = (element) => {
    const text = element.getAttribute('aria-label') || element.textContent.trim() || element.placeholder || ''
    return `“${text.replace(/\s+/g, ' ').slice(0, 40)}” (${element.tagName.toLowerCase()}.${element.getAttribute('class')})`
  }
  const scroller = (element) => {
    for (let parent = element.parentElement; parent && parent !== page; parent = parent.parentElement) {
      const { overflowX, overflowY } = getComputedStyle(parent)
      if (/auto|scroll/.test(overflowX + overflowY)) return parent
    }
    return null
  }
  const WIDEST = Math.max(innerWidth, 880) // as wide as a page that scrolls sideways may get
  const TALLEST = Math.max(innerHeight, 49 + 560)
  if (page.scrollWidth > WIDEST + 1) wrong.add(`the page is ${page.scrollWidth} pixels wide`)
  const targets = [
    ...document.querySelectorAll('button, a[href], input, select, textarea, [role=tab], [role=slider], [tabindex="0"]'),
  ].filter((element) => visible(element) && getComputedStyle(element).pointerEvents !== 'none')
  const within = (x, y, box) => x > box.left && x < box.right && y > box.top && y < box.bottom
  for (const target of targets) {
    const box = target.getBoundingClientRect()
    const left = box.left + scrollX
    const holder = scroller(target)
    if (!holder && (left < -1 || left + box.width > WIDEST + 1 || box.bottom + scrollY > TALLEST + 1))
      wrong.add(`${name(target)} lies out of reach, from ${left | 0}, ${box.top | 0} to ${(left + box.width) | 0}, ${box.bottom | 0}`)
    const x = box.left + box.width / 2
    const y = box.top + box.height / 2
    const isText = getComputedStyle(target).display === 'inline'
    const isNative = ['checkbox', 'radio', 'range', 'file'].includes(target.type)
    // Ends of spans and ranges lie where they lie; arrow keys do the same.
    const isEdge = target.matches('.handle, [data-edge]')
    if (!isText && !isNative && !isEdge && Math.min(box.width, box.height) < SMALLEST - 0.5) {
      const beside = targets.find((other) => {
        if (other === target || other.contains(target) || target.contains(other)) return false
        const near = other.getBoundingClientRect()
        const [dx, dy] = [
          Math.max(near.left - x, 0, x - near.right),
          Math.max(near.top - y, 0, y - near.bottom),
        ]
        return Math.hypot(dx, dy) < SMALLEST / 2
      })
      if (beside) wrong.add(`${name(target)} is small and close to ${name(beside)}`)
    }
    if (within(x, y, { left: 0, top: 0, right: innerWidth, bottom: innerHeight })) {
      const top = document.elementFromPoint(x, y)
      const isOwn = !top || target.contains(top) || top.contains(target)
      const isLabel = [...(target.labels ?? [])].some((label) => label.contains(top))
      const isScrolledAway = holder && !within(x, y, holder.getBoundingClientRect())
      if (!isOwn && !isLabel && !isScrolledAway && !isEdge) wrong.add(`${name(target)} is covered by ${name(top)}`)
    }
    if (target.placeholder && !target.value && target.scrollWidth > target.clientWidth + 1)
      wrong.add(`the placeholder “${target.placeholder}” is cut off`)
  }
  for (const element of document.querySelectorAll('body *')) {
    if (element.scrollWidth <= element.clientWidth + 1 || !visible(element)) continue
    const { textOverflow } = getComputedStyle(element)
    if (textOverflow === 'ellipsis' && !element.closest('[title]') && element.tagName !== 'INPUT')
      wrong.add(`${name(element)} is cut off and has no title`)
  }
  return [...wrong]
}
