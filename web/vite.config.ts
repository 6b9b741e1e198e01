/// <reference types="vitest/config" />
import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'
import { compressed } from './compressed.ts'

const api = process.env.ROUTREL_API ?? 'http://127.0.0.1:8640'

export default defineConfig({
  plugins: [react(), tailwindcss(), compressed()],
  // The reference of the language lies beside web/.
  server: { host: '127.0.0.1', proxy: { '/api': api }, fs: { allow: ['.', '../docs'] } },
  // Layouts of random charts take seconds where other tests run beside them.
  test: { environment: 'jsdom', setupFiles: ['src/testing.setup.ts'], testTimeout: 60_000 },
})
