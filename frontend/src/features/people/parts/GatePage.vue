<script setup lang="ts">
defineProps<{ title: string; lead: string }>()

/** An ornament after the strip of laps: where a thread is thick, a lap lost or won time there. */
const threads: [at: number, laps: number, weight: number, kind: 'gain' | 'loss'][][] = [
  [
    [1, 2, 5, 'loss'],
    [7, 1, 5, 'gain'],
    [11, 3, 5, 'loss'],
  ],
  [
    [0, 1, 9, 'loss'],
    [4, 3, 5, 'gain'],
    [12, 1, 5, 'gain'],
  ],
  [
    [2, 1, 5, 'loss'],
    [5, 2, 13, 'loss'],
    [9, 1, 9, 'loss'],
    [13, 2, 5, 'gain'],
  ],
  [
    [3, 4, 5, 'gain'],
    [10, 1, 5, 'loss'],
  ],
  [
    [1, 1, 5, 'gain'],
    [6, 1, 9, 'loss'],
    [8, 3, 5, 'gain'],
  ],
]
</script>

<template>
  <div class="gate">
    <div class="words">
      <p class="mark">Fleet Rival</p>
      <p class="lead">{{ lead }}</p>
      <svg viewBox="0 0 360 128" class="ornament" aria-hidden="true" focusable="false">
        <line
          v-for="column in 14"
          :key="`warp-${column}`"
          :x1="column * 24"
          :x2="column * 24"
          y1="0"
          y2="128"
          class="warp"
        />
        <template v-for="(row, index) in threads" :key="`weft-${index}`">
          <line x1="0" x2="360" :y1="16 + index * 24" :y2="16 + index * 24" class="weft" />
          <rect
            v-for="[at, laps, weight, kind] in row"
            :key="`${index}-${at}`"
            :x="at * 24"
            :y="16 + index * 24 - weight / 2"
            :width="laps * 24"
            :height="weight"
            :class="kind"
          />
        </template>
      </svg>
    </div>
    <section class="sheet card" aria-labelledby="gate-title">
      <h1 id="gate-title">{{ title }}</h1>
      <slot />
    </section>
  </div>
</template>

<style scoped>
.gate {
  min-height: 88vh;
  display: grid;
  grid-template-columns: minmax(260px, 420px) minmax(280px, 400px);
  gap: 32px 72px;
  align-items: center;
  justify-content: center;
}
.mark {
  font-family: var(--serif);
  font-size: 2.4rem;
  font-weight: 640;
}
.lead {
  font-size: 1.1rem;
  margin: 6px 0 26px;
  max-width: 36ch;
}
.ornament {
  width: 100%;
  max-width: 360px;
}
.warp,
.weft {
  stroke: var(--quiet);
}
.warp {
  opacity: 0.35;
}
.gain {
  fill: var(--accent);
}
.loss {
  fill: var(--loss);
}
.card {
  padding: 22px 26px 18px;
}
.card h1 {
  margin-bottom: 14px;
}
.card :deep(form) {
  display: grid;
  gap: 14px;
}
@media (max-width: 760px) {
  .gate {
    grid-template-columns: minmax(0, 420px);
    align-content: start;
    padding-top: 18px;
  }
  .mark {
    font-size: 1.7rem;
  }
  .lead {
    margin-bottom: 0;
  }
  .ornament {
    display: none;
  }
}
</style>
