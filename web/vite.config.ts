/// <reference types="vitest/config" />
import vue from '@vitejs/plugin-vue'
import { fileURLToPath, URL } from 'node:url'
import { defineConfig } from 'vite'
import vuetify from 'vite-plugin-vuetify'

export default defineConfig({
  // As in HTML, a line break between elements is a space: Prettier lays templates out by that.
  plugins: [vue({ template: { compilerOptions: { whitespace: 'preserve' } } }), vuetify()],
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  build: {
    target: 'es2022',
    chunkSizeWarningLimit: 900,
    rolldownOptions: {
      input: ['index.html', 'receiver/index.html'],
      // What several views need comes in few pieces: each costs a round trip, which is most of a first visit from afar.
      output: {
        codeSplitting: {
          groups: [
            { name: 'stage', test: /node_modules\/three\/|src\/stage\//, minShareCount: 2, priority: 3 },
            // Run before anything else is: what is loaded later reads what the browser has kept.
            { name: 'storage', test: /src\/shared\/storage\.ts$|vite\/preload-helper/, priority: 4 },
            { name: 'mount', test: /src\/mount\.ts$/, priority: 2 },
            { name: 'pieces', test: /src\//, minShareCount: 2, priority: 1 },
          ],
        },
      },
    },
  },
  test: {
    environment: 'happy-dom',
    include: ['src/**/*.test.ts'],
    isolate: false, // one window for all files: making it takes ten times what its tests do
    restoreMocks: true,
    unstubGlobals: true,
    server: { deps: { inline: ['vuetify'] } },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8123', '/live': { target: 'ws://127.0.0.1:8123', ws: true } } },
})
