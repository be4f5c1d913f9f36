import { useResizeObserver } from '@vueuse/core'
import { ref, type Ref } from 'vue'

/** How wide a chart is drawn, in whole pixels: as wide as what it stands in, and no narrower than it can be read. */
export function useWidth(frame: Ref<Element | null | undefined>, least: number, first: number) {
  const width = ref(first)
  useResizeObserver(
    () => (frame.value instanceof SVGSVGElement ? frame.value.parentElement : (frame.value as HTMLElement | undefined)),
    ([entry]) => {
      if (entry) width.value = Math.max(least, Math.round(entry.contentRect.width))
    },
  )
  return width
}
