import { onBeforeUnmount, ref, watch, type Ref } from 'vue'

/** How many of some heavy things to draw now: a few more each frame, so that the page answers while they come. */
export function useGradually(wanted: () => number, each: number): Ref<number> {
  const drawn = ref(0)
  let frame = 0
  function more() {
    drawn.value = Math.min(wanted(), drawn.value + each)
    frame = drawn.value < wanted() ? requestAnimationFrame(() => (frame = window.setTimeout(more))) : 0
  }
  watch(
    wanted,
    (count) => {
      if (drawn.value > count) drawn.value = count
      else if (!frame) more()
    },
    { immediate: true },
  )
  onBeforeUnmount(() => {
    cancelAnimationFrame(frame)
    window.clearTimeout(frame)
  })
  return drawn
}
