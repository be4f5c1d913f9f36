import { reactive, watchEffect } from 'vue'
import type { Preferences } from '@/shared/api/client'

/** What the person who is signed in likes; what isn't chosen follows the browser. */
export const preferences = reactive<Preferences>({})
const KEPT = 'fleet-rival-look'

/** Theme and density are also kept in the browser, so that a page looks right before anybody has asked who is there. */
function kept(): Preferences {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? '{}') as Preferences
  } catch {
    return {}
  }
}
Object.assign(preferences, kept())

export function takePreferences(given: Preferences) {
  Object.assign(preferences, given)
  try {
    localStorage.setItem(KEPT, JSON.stringify({ theme: given.theme, density: given.density }))
  } catch {
    // A browser that keeps nothing still shows everything.
  }
}

const system = window.matchMedia('(prefers-color-scheme: dark)')
const dark = reactive({ system: system.matches })
system.addEventListener('change', (event) => (dark.system = event.matches))

export function themeName(): 'paper' | 'lamplight' {
  if (preferences.theme === 'paper' || preferences.theme === 'lamplight') return preferences.theme
  return dark.system ? 'lamplight' : 'paper'
}

watchEffect(() => {
  document.documentElement.dataset.density = preferences.density ?? 'dense'
})
