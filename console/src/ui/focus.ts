// When the focused element is removed, for example with a form that closes, browsers move the focus to the top of the page.
// keepFocus moves it to the nearest focusable element instead.

const focusable = [
  'a[href]',
  'button:not(:disabled)',
  'input:not(:disabled)',
  'select:not(:disabled)',
  'textarea:not(:disabled)',
  '[tabindex]:not([tabindex="-1"])',
].join(',')
const settled = 60 // milliseconds, after which a popover or dialog has given the focus back itself

const isShown = (el: HTMLElement) => el.getClientRects().length > 0 && getComputedStyle(el).visibility !== 'hidden'
const isLost = () => document.activeElement === null || document.activeElement === document.body
const isDisabled = (el: HTMLElement) => el.matches(':disabled')

export function keepFocus(root: HTMLElement): () => void {
  let chain: HTMLElement[] = [] // the element that had the focus last, and what it is in
  let waiting: ReturnType<typeof setTimeout> | undefined

  function remember(e: FocusEvent) {
    chain = []
    for (let at = e.target as HTMLElement | null; at && at !== root; at = at.parentElement) chain.push(at)
  }
  // A click outside every focusable element is intended. The removal of the focused element is not.
  function forget(e: FocusEvent) {
    const left = e.target as HTMLElement
    if (e.relatedTarget === null)
      queueMicrotask(() => {
        if (left.isConnected && !isDisabled(left) && isLost()) chain = []
      })
  }
  function restore() {
    const [own] = chain
    if (!own || !isLost() || (own.isConnected && isDisabled(own))) return
    if (own.isConnected) {
      own.focus({ preventScroll: true })
      return
    }
    const near = chain.find((el) => el.isConnected) ?? root.querySelector('main')
    if (!near) return
    const next = [...near.querySelectorAll<HTMLElement>(focusable)].find(isShown) ?? near
    if (next === near && !near.hasAttribute('tabindex')) near.tabIndex = -1
    next.focus({ preventScroll: true })
  }
  const observer = new MutationObserver(() => {
    if (chain.length === 0 || !isLost()) return
    clearTimeout(waiting)
    waiting = setTimeout(restore, settled)
  })
  observer.observe(root, { childList: true, subtree: true, attributes: true, attributeFilter: ['disabled'] })
  root.addEventListener('focusin', remember)
  root.addEventListener('focusout', forget)
  return () => {
    clearTimeout(waiting)
    observer.disconnect()
    root.removeEventListener('focusin', remember)
    root.removeEventListener('focusout', forget)
  }
}
