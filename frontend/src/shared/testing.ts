/** What a browser has that units ask for when they are loaded; whole pages are tried in a real one. */
Object.assign(globalThis, {
  window: { matchMedia: () => ({ matches: false, addEventListener: () => undefined }) },
  document: { documentElement: { dataset: {} }, createElement: () => ({}) },
  localStorage: { getItem: () => null, setItem: () => undefined },
})
