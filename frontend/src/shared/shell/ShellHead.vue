<script setup lang="ts">
import { mdiArrowULeftTop, mdiArrowURightTop, mdiMagnify } from '@mdi/js'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { isOver } from '@/shared/api/jobs'
import PersonMenu from '@/shared/shell/PersonMenu.vue'
import { useTurning } from '@/shared/turning'

const emit = defineEmits<{ search: []; keys: [] }>()
const route = useRoute()
const { steps, turn, step } = useTurning()
const places = [
  { step: 'week', title: 'Week', to: '/' },
  { step: 'track', title: 'Track', to: '/tracks' },
  { step: 'drive', title: 'Drive', to: '/drive' },
  { step: 'find', title: 'Find', to: '/find' },
  { step: 'fix', title: 'Fix', to: '/fix' },
  { step: 'plan', title: 'Plan', to: '/plan' },
  { step: 'race', title: 'Race', to: '/races' },
  { step: 'log', title: 'Log', to: '/log' },
]
const jobs = useQuery({ queryKey: ['jobs'], queryFn: () => answer(api.GET('/api/jobs')) })
const running = computed(() => (jobs.data.value?.items ?? []).filter((job) => !isOver(job)))
const share = computed(() =>
  running.value.length ? running.value.reduce((sum, job) => sum + job.progress, 0) / running.value.length : 0,
)
</script>

<template>
  <header class="head">
    <RouterLink class="mark" to="/">Fleet Rival</RouterLink>
    <nav aria-label="Steps of the work">
      <RouterLink
        v-for="place in places"
        :key="place.step"
        :to="place.to"
        :class="{ here: route.meta.step === place.step }"
        :aria-current="route.meta.step === place.step ? 'page' : undefined"
        >{{ place.title }}</RouterLink
      >
    </nav>
    <button type="button" class="search" @click="emit('search')">
      <v-icon :icon="mdiMagnify" size="17" /> <span>Go to …</span> <kbd>Ctrl K</kbd>
    </button>
    <span class="tools">
      <RouterLink
        v-if="running.length"
        to="/jobs"
        class="work"
        :aria-label="`${running.length} at work in the background, ${Math.round(share * 100)} % done`"
      >
        <span class="bar"><span :style="{ width: `${Math.max(4, share * 100)}%` }" /></span>{{ running.length }} at work
      </RouterLink>
      <button
        type="button"
        class="tool"
        aria-label="Take back the last step"
        :disabled="!steps.data.value?.undo || turn.isPending.value"
        :title="
          steps.data.value?.undo
            ? `Take back: ${steps.data.value.undo.summary} (Ctrl Z)`
            : 'Nothing of yours to take back'
        "
        @click="step('undo')"
      >
        <v-icon :icon="mdiArrowULeftTop" size="18" />
      </button>
      <button
        type="button"
        class="tool"
        aria-label="Do it again"
        :disabled="!steps.data.value?.redo || turn.isPending.value"
        :title="steps.data.value?.redo ? `Do again: ${steps.data.value.redo.summary} (Ctrl Y)` : 'Nothing to do again'"
        @click="step('redo')"
      >
        <v-icon :icon="mdiArrowURightTop" size="18" />
      </button>
      <button type="button" class="tool" aria-label="Keys of this page" @click="emit('keys')">?</button>
      <PersonMenu />
    </span>
  </header>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 20px;
  padding: 6px 24px;
  border-bottom: 2px solid var(--ink);
}
.mark {
  font-family: var(--serif);
  font-size: 1.15rem;
  font-weight: 640;
  color: var(--ink);
  text-decoration: none;
}
nav {
  display: flex;
  gap: 16px;
}
nav a {
  color: var(--ink);
  text-decoration: none;
  padding: 3px 1px;
  border-bottom: 3px solid transparent;
}
nav a.here {
  border-bottom-color: var(--accent);
  font-weight: 600;
}
.search {
  display: flex;
  align-items: center;
  gap: 6px;
  min-width: 190px;
  padding: 2px 8px;
  border: 1px solid var(--quiet);
  border-radius: 3px;
  background: var(--sheet);
  color: var(--quiet);
}
.search span {
  flex: 1;
  text-align: left;
}
kbd {
  font-family: var(--sans);
  font-size: 0.78rem;
  border: 1px solid var(--rule);
  border-radius: 2px;
  padding: 0 4px;
}
.tools {
  display: flex;
  align-items: center;
  gap: 8px;
  margin-left: auto;
}
.tool {
  width: 26px;
  height: 26px;
  border: 1px solid var(--quiet);
  border-radius: 3px;
  display: grid;
  place-items: center;
}
.tool:disabled {
  border-color: var(--rule);
  opacity: 0.45;
}
.work {
  display: flex;
  align-items: center;
  gap: 7px;
  font-size: 0.88rem;
}
.bar {
  width: 54px;
  height: 7px;
  border: 1px solid var(--accent);
}
.bar span {
  display: block;
  height: 100%;
  background: var(--accent);
}
@media (max-width: 760px) {
  .head {
    padding: 6px 12px;
    gap: 4px 12px;
  }
  .search {
    min-width: 0;
    order: 2;
  }
  .search kbd {
    display: none;
  }
  .tools {
    order: 3;
    margin-left: 0;
    width: 100%;
  }
}
@media print {
  .search,
  .tools,
  nav {
    display: none;
  }
}
</style>
