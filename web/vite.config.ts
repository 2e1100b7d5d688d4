import vue from '@vitejs/plugin-vue'
import { fileURLToPath, URL } from 'node:url'
import { defineConfig } from 'vitest/config'

export default defineConfig(({ command }) => ({
  plugins: [vue()],
  base: command === 'build' ? '/static/app/' : '/',
  resolve: { alias: { '@': fileURLToPath(new URL('./src', import.meta.url)) } },
  server: { proxy: { '/api': 'http://127.0.0.1:8700' } },
  build: { chunkSizeWarningLimit: 1500, assetsInlineLimit: 0 },
  test: { environment: 'happy-dom', include: ['src/**/*.test.ts'], testTimeout: 30_000 },
}))
