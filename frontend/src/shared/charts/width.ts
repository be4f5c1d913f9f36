import { useResizeObserver } from '@vueuse/core'
import { ref } from 'vue'

/** How wide a chart is drawn, in whole pixels: as wide as what it stands in, and no narrower than it can be read. */
export function useWidth(inside: () => HTMLElement | null | undefined, least: number, first: number) {
  const width = ref(first)
  useResizeObserver(inside, ([entry]) => {
    if (entry) width.value = Math.max(least, Math.round(entry.contentRect.width))
  })
  return width
}
