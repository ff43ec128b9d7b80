import { svelte } from '@sveltejs/vite-plugin-svelte';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';

import { catalogues } from './scripts/po.ts';

// Sittings are named in the viewer's zone; the tests' viewer lives where clocks change.
process.env.TZ = 'Europe/Berlin';

export default defineConfig({
  plugins: [catalogues(), tailwindcss(), svelte()],
  build: { target: 'es2022', assetsInlineLimit: 0, modulePreload: { polyfill: false } },
  test: { environment: 'node', include: ['src/**/*.test.ts'] },
  resolve: process.env.VITEST ? { conditions: ['browser'] } : undefined,
});
