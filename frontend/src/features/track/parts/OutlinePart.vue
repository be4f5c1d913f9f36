<script setup lang="ts">
import type { Book } from '@/shared/api/client'
import { useOutline } from '@/features/track/book'
import type { StripCorner } from '@/shared/charts/LapStrip.vue'
import PictureFrame from '@/shared/charts/PictureFrame.vue'
import TrackOutline from '@/shared/charts/TrackOutline.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'

/** A layout from above, once its centreline is there: asked for by itself, so that nothing else is drawn anew when it comes. */
const props = defineProps<{
  book: Book
  corners: StripCorner[]
  sectors: { code: string; start_m: number }[]
  here?: string
  stretch?: [number, number]
  marks?: { at_m: number; sign: string; words: string }[]
  height: number
  label: string
}>()
const emit = defineEmits<{ pick: [key: string] }>()
const outline = useOutline(
  () => props.book.id,
  () => props.book.has_centreline,
)
</script>

<template>
  <PictureFrame v-if="outline.data.value?.x_m.length" name="track outline"
    ><TrackOutline
      :outline="outline.data.value"
      :length="book.length_m"
      :corners="corners"
      :sectors="sectors"
      :pit="stretch ? null : book.pit"
      :here="here"
      :stretch="stretch"
      :marks="marks"
      :height="height"
      :label="label"
      @pick="emit('pick', $event)"
  /></PictureFrame>
  <SkeletonRows
    v-else-if="book.has_centreline && outline.isPending.value"
    :rows="Math.round(height / 34)"
    label="Loading the outline"
  />
  <TroubleNote v-else-if="outline.error.value" :error="outline.error.value" :again="() => outline.refetch()" />
  <p v-else-if="!stretch" class="quiet">The track file has no centreline: the strip above shows the lap.</p>
</template>
