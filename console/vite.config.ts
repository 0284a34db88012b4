import { createCompoundExpression, type NodeTransform, NodeTypes } from '@vue/compiler-core'
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { brotliCompressSync, gzipSync } from 'node:zlib'

import vue from '@vitejs/plugin-vue'
import vuetify from 'vite-plugin-vuetify'
import { defineConfig } from 'vitest/config'

// Every {{ text }} of every template is shown by one function: src/shown.ts.
const showSafely: NodeTransform = (node) => {
  if (node.type === NodeTypes.INTERPOLATION) {
    node.content = createCompoundExpression(['_ctx.$shown(', node.content, ')'])
  }
}

// What can be compressed lies compressed beside itself: the service sends it as it is.
const compressed = {
  name: 'compressed',
  apply: 'build' as const,
  closeBundle() {
    const folder = join(import.meta.dirname, 'dist', 'assets')
    for (const name of readdirSync(folder)) {
      if (!/\.(js|css|svg)$/.test(name)) continue
      const data = readFileSync(join(folder, name))
      if (data.length < 1024) continue
      writeFileSync(join(folder, `${name}.br`), brotliCompressSync(data))
      writeFileSync(join(folder, `${name}.gz`), gzipSync(data, { level: 9 }))
    }
  },
}

export default defineConfig({
  plugins: [
    vue({ template: { compilerOptions: { nodeTransforms: [showSafely] } } }),
    vuetify({ autoImport: true }),
    compressed,
  ],
  build: { outDir: 'dist', emptyOutDir: true, chunkSizeWarningLimit: 1000 },
  server: { proxy: { '/api': 'http://127.0.0.1:8417' } },
  test: {
    environment: 'jsdom',
    include: ['test/**/*.test.ts'],
    setupFiles: ['test/setup.ts'],
    server: { deps: { inline: ['vuetify'] } },
  },
})
