import tailwind from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react(), tailwind()],
  resolve: { conditions: ['jade-source', 'module', 'browser', 'default'] },
  build: { chunkSizeWarningLimit: 900 },
  // In development the pages come from here and the API from a service that runs next to it.
  server: { proxy: { '/api': 'http://127.0.0.1:7340' } },
});
