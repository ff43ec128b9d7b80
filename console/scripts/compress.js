// Writes a .br and a .gz beside every file of the build, so that the service compresses nothing while it runs.
import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { brotliCompressSync, gzipSync } from 'node:zlib';

function compress(dir) {
  for (const name of readdirSync(dir)) {
    const path = join(dir, name);
    if (statSync(path).isDirectory()) compress(path);
    else if (/\.(html|js|css|svg|webmanifest)$/.test(name)) {
      const bytes = readFileSync(path);
      writeFileSync(`${path}.br`, brotliCompressSync(bytes));
      writeFileSync(`${path}.gz`, gzipSync(bytes, { level: 9 }));
    }
  }
}

compress('dist');
