import tailwindcss from '@tailwindcss/vite';
import { svelte } from '@sveltejs/vite-plugin-svelte';
import { defineConfig } from 'vitest/config';

// The console is served by the service itself, so every address is relative to
// its root. In development the API comes from a service on the usual port.
export default defineConfig({
  plugins: [tailwindcss(), svelte()],
  server: { proxy: { '/api': 'http://127.0.0.1:7420' } },
  // Two pages: the console, and the one that players see without being signed in.
  build: {
    target: 'es2023',
    chunkSizeWarningLimit: 400,
    rollupOptions: { input: ['index.html', 'pack.html'] }
  },
  // Components are mounted in tests as a browser would.
  resolve: process.env.VITEST ? { conditions: ['browser'] } : undefined,
  test: { environment: 'node', include: ['src/**/*.test.ts'] }
});
