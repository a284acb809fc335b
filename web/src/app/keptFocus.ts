import { useDebounceFn, useEventListener, useMutationObserver } from '@vueuse/core'

import { toHeading } from '../ui/heading'

/** A part of a page that takes the keyboard when what it was on is shut or gone. */
const HOLDS = '[role=group][tabindex="-1"]'
/** What is moving away has moved by then [ms]. */
const MOVED = 120

/**
 * The keyboard is never lost: where what it was on goes away, or is shut while something runs, it stays in the part of
 * the page that it was in; where that is gone too, it goes on from the heading.
 */
export function useKeptFocus() {
  /* What the keyboard was on, and all that it lies in, from the inside out. */
  let path: Element[] = []
  /* It was seen shut: once it opens again, the keyboard goes back to it. */
  let shut = false
  const isLost = () => document.activeElement === document.body && path.length > 0
  useEventListener(document, 'focusin', (event: FocusEvent) => {
    path = event.composedPath().filter((at) => at instanceof Element)
    shut = false
  })
  // A press beside everything leaves it on purpose.
  useEventListener(document, 'pointerdown', () => setTimeout(() => isLost() && (path = [])))

  const mend = useDebounceFn(() => {
    const was = path[0]
    if (!isLost() || !(was instanceof HTMLElement)) return
    const there = path.filter((at) => at.isConnected)
    const holds = there.find((at) => at.matches(HOLDS))
    const open = was.isConnected && !was.matches(':disabled')
    // What was never shut was left by something that has a place of its own for the keyboard: a dialog that opens.
    if (open && shut) was.focus()
    shut = was.isConnected && !open
    if (open) return
    if (holds instanceof HTMLElement) holds.focus()
    // What is shut may open again at once, as at a closing.
    else if (!shut) toHeading(there.find((at) => at.matches('[role=dialog]')))
  }, MOVED)
  useMutationObserver(document.body, () => isLost() && void mend(), {
    subtree: true,
    childList: true,
    attributeFilter: ['disabled'],
  })
}
