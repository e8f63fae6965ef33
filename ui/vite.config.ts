import { fileURLToPath } from 'node:url'
import tailwindcss from '@tailwindcss/vite'
import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'

const page = (name: string) => fileURLToPath(new URL(name, import.meta.url))

export default defineConfig({
  plugins: [vue(), tailwindcss()],
  resolve: { alias: { '@style': fileURLToPath(new URL('../style', import.meta.url)) } },
  build: {
    outDir: 'dist/app',
    emptyOutDir: true,
    target: 'es2022',
    chunkSizeWarningLimit: 800,
    rollupOptions: { input: { index: page('index.html'), embed: page('embed.html') } },
  },
  worker: { format: 'es' },
  server: {
    proxy: { '/v1': 'http://127.0.0.1:8080', '/ogc': 'http://127.0.0.1:8080', '/session': 'http://127.0.0.1:8080' },
  },
})
