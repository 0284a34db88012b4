import { createCompoundExpression, type NodeTransform, NodeTypes } from '@vue/compiler-core'
import vue from '@vitejs/plugin-vue'
import vuetify from 'vite-plugin-vuetify'
import { defineConfig } from 'vitest/config'

// Every {{ text }} of every template is shown by one function: src/shown.ts.
const showSafely: NodeTransform = (node) => {
  if (node.type === NodeTypes.INTERPOLATION) {
    node.content = createCompoundExpression(['_ctx.$shown(', node.content, ')'])
  }
}

export default defineConfig({
  plugins: [
    vue({ template: { compilerOptions: { nodeTransforms: [showSafely] } } }),
    vuetify({ autoImport: true }),
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
