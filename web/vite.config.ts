import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'

const server = 'http://127.0.0.1:4870'

export default defineConfig({
  plugins: [vue()],
  build: { target: 'es2022', chunkSizeWarningLimit: 900 },
  // The server answers its own address alone: behind the proxy a page counts as one of its own.
  server: {
    proxy: { '/api': { target: server, changeOrigin: true, ws: true, headers: { origin: server } } },
  },
})
