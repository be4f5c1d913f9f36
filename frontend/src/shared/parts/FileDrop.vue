<script setup lang="ts">
import { ref } from 'vue'
import WorkButton from '@/shared/parts/WorkButton.vue'

defineProps<{ label: string; accept: string; busy?: boolean; hint?: string; several?: boolean }>()
const emit = defineEmits<{ file: [file: File]; files: [files: File[]] }>()
const input = ref<HTMLInputElement>()
const over = ref(false)

function take(files: FileList | null | undefined) {
  const file = files?.[0]
  if (file) {
    emit('file', file)
    emit('files', [...files])
  }
  if (input.value) input.value.value = ''
}
function drop(event: DragEvent) {
  over.value = false
  take(event.dataTransfer?.files)
}
</script>

<template>
  <div class="drop" :class="{ over }" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent="drop">
    <WorkButton color="primary" :loading="busy" @click="input?.click()">{{ label }}</WorkButton>
    <span class="quiet"
      >or drop {{ several ? 'them' : 'it' }} here<template v-if="hint"> · {{ hint }}</template></span
    >
    <input
      ref="input"
      class="visually-hidden"
      type="file"
      tabindex="-1"
      aria-hidden="true"
      :accept="accept"
      :multiple="several"
      @change="take(input?.files)"
    />
  </div>
</template>

<style scoped>
.drop {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 14px;
  padding: 16px;
  border: 1.5px dashed var(--quiet);
  border-radius: 3px;
}
.drop.over {
  border-color: var(--accent);
  background: var(--sheet);
}
</style>
