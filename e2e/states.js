// What a test asks of any state of the page; put into it by states_test.go.
window.states = (() => {
  const CONTROLS =
    'button, a[href], input, select, textarea, summary, [role=radio], [role=row][tabindex], [tabindex="0"]'
  const called = (e) =>
    `${e.tagName.toLowerCase()} ${e.dataset.test ?? e.getAttribute('aria-label') ?? e.innerText?.trim().slice(0, 30) ?? ''}`
  const isShown = (e) =>
    e.isConnected &&
    e.getClientRects().length > 0 &&
    getComputedStyle(e).visibility !== 'hidden' &&
    !e.closest('[inert], [aria-hidden=true]')
  const isForEyes = (e) => {
    const b = e.getBoundingClientRect()
    return b.width > 2 && b.height > 2
  }
  const controls = () => [...document.querySelectorAll(CONTROLS)].filter((e) => isShown(e) && isForEyes(e))

  /** Whatever has been scrolled without being made for it. */
  const strayed = () =>
    [document.scrollingElement, ...document.querySelectorAll('*')]
      .filter(
        (e) =>
          (e.scrollTop || e.scrollLeft) &&
          !/auto|scroll/.test(getComputedStyle(e).overflow) &&
          !e.matches('input, textarea, select'),
      )
      .map(called)

  const isOnTop = (e) => {
    const b = e.getClientRects()[0] ?? e.getBoundingClientRect() // the first line of what is written in several
    const [x, y] = [b.left + b.width / 2, b.top + Math.min(b.height / 2, 400)]
    if (x < 0 || y < 0 || x > innerWidth || y > innerHeight) return false
    const top = document.elementFromPoint(x, y)
    return (
      !!top &&
      (e.contains(top) || !!(e.id && top.closest('label')?.control === e) || top.closest('label')?.contains(e) === true)
    )
  }

  /** Controls that cannot be scrolled to, or over which something else lies there. */
  function outOfReach() {
    const bad = []
    for (const e of controls()) {
      if (!isShown(e)) continue // a list may have let go of it meanwhile
      e.scrollIntoView({ block: 'nearest', inline: 'nearest' })
      if (!isOnTop(e)) bad.push(called(e))
    }
    return [...bad, ...strayed().map((s) => `scrolled: ${s}`)]
  }

  const canvas = document.createElement('canvas').getContext('2d', { willReadFrequently: true })
  const known = new Map()
  function rgba(text) {
    if (!known.has(text)) {
      canvas.clearRect(0, 0, 1, 1)
      canvas.fillStyle = text
      canvas.fillRect(0, 0, 1, 1)
      const [r, g, b, a] = canvas.getImageData(0, 0, 1, 1).data
      known.set(text, [r / 255, g / 255, b / 255, a / 255])
    }
    return known.get(text)
  }
  const over = (top, below) => [0, 1, 2].map((i) => top[i] * top[3] + below[i] * (1 - top[3])).concat(1)
  const luminance = (c) =>
    c
      .slice(0, 3)
      .map((v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4))
      .reduce((sum, v, i) => sum + v * [0.2126, 0.7152, 0.0722][i], 0)
  const contrast = (a, b) => {
    const [x, y] = [luminance(a), luminance(b)].sort((p, q) => q - p)
    return (x + 0.05) / (y + 0.05)
  }

  /** Texts whose contrast with what they stand on is too low (WCAG 2.2, 1.4.3). */
  function pale() {
    const bad = new Map()
    const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT)
    for (let n = walker.nextNode(); n; n = walker.nextNode()) {
      const e = n.parentElement
      if (!n.textContent.trim() || !isShown(e) || !isForEyes(e) || e.closest('option, script, style, .sr-only'))
        continue
      const layers = []
      let opacity = 1
      for (let a = e; a; a = a.parentElement) {
        const s = getComputedStyle(a)
        layers.push(rgba(s.backgroundColor))
        opacity *= Number(s.opacity)
      }
      const ground = layers.reverse().reduce((below, top) => over(top, below), [1, 1, 1, 1])
      const ink = rgba(getComputedStyle(e).color)
      const ratio = contrast(over([...ink.slice(0, 3), ink[3] * opacity], ground), ground)
      if (ratio < 4.5) bad.set(`${called(e)} “${n.textContent.trim().slice(0, 30)}”`, ratio.toFixed(2))
    }
    return [...bad].map(([what, ratio]) => `${what}: ${ratio}`)
  }

  /** What has the focus: whether it can be seen, and that it has it; null for none. */
  const seen = new WeakMap()
  let number = 0
  function focused() {
    const e = document.activeElement
    if (!e || e === document.body) return null
    if (!seen.has(e)) seen.set(e, ++number)
    const s = getComputedStyle(e)
    const madder = rgba(getComputedStyle(document.documentElement).getPropertyValue('--madder')).join()
    const marked =
      (s.outlineStyle !== 'none' && parseFloat(s.outlineWidth) >= 1) ||
      (parseFloat(s.borderBottomWidth) >= 1 && rgba(s.borderBottomColor).join() === madder)
    return { number: seen.get(e), what: called(e), marked, reached: isOnTop(e), strayed: strayed().join() }
  }

  /** How many controls the Tab key should come by: one for each group of radio buttons, none that are switched off. */
  const tabbable = () =>
    controls()
      .filter((e) => e.tabIndex >= 0 && !e.disabled)
      .map((e) => (seen.has(e) ? '' : called(e)))
      .filter((e) => e)

  /** Words on buttons for which everybody knows another. */
  const strange = () =>
    [...document.querySelectorAll('button')]
      .map((b) => b.innerText.trim())
      .filter((t) => /^(Drop|Look|Alone|Keep|Let go|Lay|Take)\b/.test(t) && !/^(Keep mine|Take theirs)/.test(t))

  return { strange, outOfReach, pale, focused, tabbable }
})()
