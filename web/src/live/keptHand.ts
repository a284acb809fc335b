import { useEventListener } from '@vueuse/core'
import { watch, type Ref } from 'vue'

/**
 * What the hand was on goes, or is shut, when the printer begins or ends something: the hand stays in the part of the
 * page that it was in. `root` can be focused (tabindex -1).
 */
export function useKeptHand(root: Ref<HTMLElement | undefined>, changes: Ref<unknown>) {
  let within = false
  useEventListener(document, 'focusin', (event: FocusEvent) => {
    within = root.value?.contains(event.target as Node) ?? false
  })
  watch(
    changes,
    () => {
      if (within && document.activeElement === document.body) root.value?.focus()
    },
    { flush: 'post' },
  )
}
