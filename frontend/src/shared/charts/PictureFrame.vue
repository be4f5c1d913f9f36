<script setup lang="ts">
import { ref } from 'vue'
import { savePicture } from '@/shared/charts/picture'

/** A chart that can be taken along as a picture. */
const props = defineProps<{ name: string }>()
const frame = ref<HTMLElement>()
const trouble = ref('')
async function save(form: 'svg' | 'png') {
  trouble.value = ''
  try {
    if (frame.value) await savePicture(frame.value, props.name, form)
  } catch {
    trouble.value = 'This browser can’t make a picture of it. Try the other kind, or print the page.'
  }
}
</script>

<template>
  <div>
    <div ref="frame"><slot /></div>
    <p class="save" role="group" :aria-label="`Picture: ${name}`">
      <span v-if="trouble" role="alert" class="ochre">{{ trouble }} </span>
      <button type="button" @click="save('svg')">
        SVG<span class="visually-hidden"> of {{ name }}</span>
      </button>
      <button type="button" @click="save('png')">
        PNG<span class="visually-hidden"> of {{ name }}</span>
      </button>
    </p>
  </div>
</template>

<style scoped>
.save {
  display: flex;
  justify-content: end;
  gap: 10px;
  padding: 0 12px;
  font-size: 0.85rem;
}
button {
  color: var(--accent);
  text-decoration: underline;
  text-underline-offset: 2px;
}
@media print {
  .save {
    display: none;
  }
}
</style>
