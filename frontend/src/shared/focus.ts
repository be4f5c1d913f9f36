import type { Directive } from 'vue'

/** Whoever waits for something that opens looks again this often, in milliseconds, and no longer than a second. */
const AGAIN_MS = 50
const TIMES = 20

/**
 * `v-first-focus` on a form: its first field has the focus as soon as it can be seen. Where somebody types in the form already it
 * stays with them: a password that somebody is writing must never go on in the field above it.
 */
export const firstFocus: Directive<HTMLElement> = {
  mounted(form) {
    let left = TIMES
    function take() {
      if (!form.isConnected || form.contains(document.activeElement) || !left--) return
      form.querySelector<HTMLElement>('input, select, textarea')?.focus()
      // What opens is hidden until it does, and takes no focus yet.
      window.setTimeout(take, AGAIN_MS)
    }
    take()
  },
}
declare module 'vue' {
  interface GlobalDirectives {
    vFirstFocus: typeof firstFocus
  }
}
