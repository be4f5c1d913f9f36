import { fileURLToPath } from 'node:url'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'
import vuetify from 'vite-plugin-vuetify'

export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true })],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  // The server puts each answer's own nonce in place of this.
  html: { cspNonce: '__CSP_NONCE__' },
  build: { target: 'es2022', sourcemap: false, assetsInlineLimit: 0 },
})
