import { svelte } from '@sveltejs/vite-plugin-svelte'
import tailwindcss from '@tailwindcss/vite'
import { defineConfig } from 'vite'

// The console is built into the binary: internal/web/console embeds the folder dist.
export default defineConfig({
  plugins: [tailwindcss(), svelte()],
  build: {
    outDir: '../internal/web/console/dist',
    emptyOutDir: true,
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 700,
  },
  server: { proxy: { '/api': 'http://127.0.0.1:7420' } },
})
