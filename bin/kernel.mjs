// npm run kernel: compiles src/core/markup/stream/kernel/source/scan.ts to WebAssembly, written down as text so that every bundle can hold it.
import { writeFileSync } from 'node:fs'
import path from 'node:path'
import asc from 'assemblyscript/asc'

const source = 'src/core/markup/stream/kernel/source/scan.ts'
const target = 'src/core/markup/stream/kernel/compiled.ts'

/** @returns the compiled kernel, the same bytes for the same source and compiler */
export async function compileKernel(projectFolder) {
  let compiled = null
  const { error, stderr } = await asc.main(
    [
      source,
      '--outFile',
      'scan.wasm',
      '--optimizeLevel',
      '3',
      '--shrinkLevel',
      '0',
      '--noAssert',
      '--runtime',
      'stub',
      '--enable',
      'simd',
      '--enable',
      'bulk-memory',
      '--memoryBase',
      '64',
    ],
    {
      baseDir: projectFolder,
      writeFile: (_name, contents) => {
        compiled = contents
      },
    },
  )
  if (error !== null || compiled === null) throw new Error(`The kernel does not compile:\n${stderr.toString()}`)
  return Buffer.from(compiled)
}

if (process.argv[1] === import.meta.filename) {
  const projectFolder = path.dirname(import.meta.dirname)
  const wasm = await compileKernel(projectFolder)
  const lines = wasm.toString('base64').match(/.{1,120}/g) ?? []
  writeFileSync(
    path.join(projectFolder, target),
    `// Made from source/ by \`npm run kernel\`; a test keeps the two together.\nexport const SCAN_KERNEL =\n${lines.map((line) => `  '${line}'`).join(' +\n')}\n`,
  )
  console.log(`${target}: ${wasm.length} bytes`)
}
