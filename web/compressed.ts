import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { brotliCompressSync, constants, gzipSync } from 'node:zlib'
import type { Plugin } from 'vite'

/** Files smaller than this do not get smaller. */
const LEAST = 1024
const TEXT = /\.(js|css|html|svg)$/

/** Writes what the build made once more, compressed with Brotli and gzip, for the server to hand out. */
export function compressed(): Plugin {
  let folder = 'dist'
  return {
    name: 'compressed',
    apply: 'build',
    configResolved: (config) => {
      folder = config.build.outDir
    },
    closeBundle: () => {
      for (const name of readdirSync(folder, { recursive: true, encoding: 'utf8' })) {
        const path = join(folder, name)
        if (!TEXT.test(name) || statSync(path).size < LEAST) continue
        const text = readFileSync(path)
        writeFileSync(`${path}.gz`, gzipSync(text, { level: 9 }))
        const quality = { [constants.BROTLI_PARAM_QUALITY]: constants.BROTLI_MAX_QUALITY }
        writeFileSync(`${path}.br`, brotliCompressSync(text, { params: quality }))
      }
    },
  }
}
