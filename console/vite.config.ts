import react from '@vitejs/plugin-react';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  plugins: [react()],
  // On a machine that is busy with other tests a page takes seconds to be drawn.
  test: { testTimeout: 60_000, setupFiles: ['src/testing-setup.ts'] },
  build: { outDir: 'target/site', emptyOutDir: true, chunkSizeWarningLimit: 1200 },
});
