// After the build: the fonts of the first view are asked for at once, and each file that compresses well is written a second
// time, compressed, for the server to hand out.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { brotliCompressSync } from 'node:zlib'

const assets = new URL('./dist/assets/', import.meta.url)
const page = new URL('./dist/index.html', import.meta.url)
const names = readdirSync(assets)
const fonts = names.filter((name) => /^(literata|source-sans-3)-latin-wght-normal-.*\.woff2$/.test(name))
const hints = fonts.map((name) => `<link rel="preload" as="font" type="font/woff2" href="/assets/${name}" crossorigin>`)
writeFileSync(page, readFileSync(page, 'utf8').replace('</title>', `</title>\n    ${hints.join('\n    ')}`))
for (const name of names.filter((file) => /\.(js|css|svg)$/.test(file))) {
  writeFileSync(new URL(`${name}.br`, assets), brotliCompressSync(readFileSync(new URL(name, assets))))
}
