/**
 * Drives the interface. RHIZOGRAPH_URL names the running server; the tests given as arguments, or all, are run one
 * after the other, each in a fresh context of one browser. Prints one line a test and exits 1 if any failed.
 */
import { readdir } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { endBrowser } from './browser.mjs';

const url = process.env.RHIZOGRAPH_URL;
if (!url) throw new Error('RHIZOGRAPH_URL is not set');
const folder = fileURLToPath(new URL('./tests/', import.meta.url));
const wanted = process.argv.slice(2);
const files = (await readdir(folder)).filter(
    (f) => f.endsWith('.mjs') && (!wanted.length || wanted.some((w) => f.includes(w))),
);
let failed = 0;
for (const file of files.sort()) {
    const { tests } = await import(`./tests/${file}`);
    for (const [name, run] of Object.entries(tests)) {
        const began = Date.now();
        try {
            await run(url);
            console.log(`interface: ok ${name} (${Date.now() - began} ms)`);
        } catch (e) {
            failed++;
            // What went wrong stands beside the name, where a reader of many lines finds it.
            const why = String(e.message ?? e).split('\n')[0];
            console.log(`interface: FAILED ${name}: ${why} (${Date.now() - began} ms)\n${e.stack ?? e}`);
        }
    }
}
await endBrowser();
process.exit(failed ? 1 : 0);
