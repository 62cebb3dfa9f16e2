/** Lets what scrolls be scrolled by keys: it takes the focus while it is larger than its place. */
export function scrolls(node: HTMLElement): () => void {
  const look = () => {
    if (node.scrollWidth > node.clientWidth || node.scrollHeight > node.clientHeight) node.tabIndex = 0
    else node.removeAttribute('tabindex')
  }
  const watch = new ResizeObserver(look)
  watch.observe(node)
  if (node.firstElementChild) watch.observe(node.firstElementChild)
  look()
  return () => watch.disconnect()
}
