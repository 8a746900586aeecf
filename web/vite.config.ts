import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

// The built front end is served by the Python server under /static/.
export default defineConfig({
  base: '/static/',
  plugins: [vue()],
  build: { outDir: '../src/ewerer/server/static', emptyOutDir: true, target: 'es2022', reportCompressedSize: false },
  server: { proxy: { '/api': 'http://127.0.0.1:8017' } },
  test: { environment: 'jsdom', include: ['tests/**/*.test.ts'], server: { deps: { inline: ['element-plus'] } } },
})
