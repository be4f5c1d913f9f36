import { fileURLToPath } from 'node:url'
import { NodeTypes, type NodeTransform } from '@vue/compiler-dom'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'
import vuetify from 'vite-plugin-vuetify'

/** Where the formatter breaks a line between two words there is one space, no less and no more. */
const oneSpace: NodeTransform = (node) => {
  if (node.type === NodeTypes.TEXT) node.content = node.content.replace(/\s+/g, ' ')
}

export default defineConfig({
  plugins: [
    vue({ template: { compilerOptions: { whitespace: 'preserve', nodeTransforms: [oneSpace] } } }),
    vuetify({ autoImport: true }),
  ],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  // The server puts each answer's own nonce in place of this.
  html: { cspNonce: '__CSP_NONCE__' },
  build: { target: 'es2022', sourcemap: false, assetsInlineLimit: 0 },
})
