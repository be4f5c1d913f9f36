<script setup lang="ts">
defineProps<{ title: string; lead: string }>()
</script>

<template>
  <div class="gate">
    <div class="words">
      <p class="mark">Fleet Rival</p>
      <p class="lead">{{ lead }}</p>
      <svg viewBox="0 0 320 120" class="weave" aria-hidden="true" focusable="false">
        <g v-for="row in 5" :key="row">
          <rect v-for="column in 16" :key="column" :x="(column - 1) * 20" :y="(row - 1) * 24" width="17" height="20" :opacity="0.16 + ((row * 7 + column * column * 3) % 11) / 16" :class="(row * column) % 9 === 5 ? 'loss' : 'gain'" />
        </g>
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
.weave {
  width: 100%;
  max-width: 360px;
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
  .weave {
    display: none;
  }
}
</style>
