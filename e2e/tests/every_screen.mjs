/** Each screen by keyboard and by eye of the accessibility checker. */
import assert from 'node:assert/strict';
import { AxeBuilder } from '@axe-core/playwright';
import { becomes, openAt, openBrowser, saved } from '../browser.mjs';

export const tests = {
    async 'every station is reached by its key and passes the accessibility check, in both themes'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const all = await (await fetch(`${url}/api/productions`)).json();
            const drawing = all.find((p) => p.name === 'Kettle Post').shots[0].drawings[2];
            const check = async (where) => {
                // The page has no frames: its one document is judged in itself, which is sooner done.
                assert.equal(page.frames().length, 1);
                const { violations } = await new AxeBuilder({ page })
                    .setLegacyMode(true)
                    .options({ resultTypes: ['violations'] })
                    .withTags(['wcag2a', 'wcag2aa'])
                    .analyze();
                const told = violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.target.join(' ')).join(', ')}`);
                assert.deepEqual(told, [], where);
            };
            await page.goto(url);
            await page.getByRole('heading', { name: 'Along the sea wall' }).waitFor();
            await check('shots');
            await page.goto(`${url}/#/drawing/${drawing.id}/lift`);
            await page.getByRole('button', { name: 'Lift and trace' }).click();
            await page.getByRole('button', { name: /Settle \d+ sure/ }).waitFor();
            await saved(page);
            for (const theme of ['paper', 'dusk']) {
                for (const [key, heading] of [
                    ['i', 'Intake'],
                    ['1', 'Lift'],
                    ['2', 'Weight'],
                    ['4', 'Draw'],
                    ['5', 'Join'],
                    ['6', 'Colour model'],
                    ['7', 'Hand off'],
                ]) {
                    await page.keyboard.press(key);
                    await page.getByRole('heading', { name: heading, exact: true }).waitFor();
                    await check(`${heading}, ${theme}`);
                }
                await page.getByRole('button', { name: 'Change the theme' }).click();
            }
            await page.keyboard.press('?');
            await page.getByRole('heading', { name: 'Keys' }).waitFor();
            await check('keys');
            await page.keyboard.press('Escape');
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'the zoom keeps what is under the pointer, and a held key shows the original'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const all = await (await fetch(`${url}/api/productions`)).json();
            const drawing = all.find((p) => p.name === 'Kettle Post').shots[0].drawings[3];
            await openAt(page, url, drawing.id, 'lift');
            const percent = async () => parseInt(await page.getByTitle('The whole sheet (F)').innerText());
            const small = await percent();
            await page.mouse.move(500, 300);
            for (let i = 0; i < 6; i++) await page.mouse.wheel(0, -240);
            await becomes(percent, (p) => p > 2 * small);
            const hash = () =>
                page.evaluate(() => {
                    const c = document.querySelector('canvas');
                    const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
                    let sum = 0;
                    for (let i = 0; i < d.length; i += 4) sum += d[i] + d[i + 1] + d[i + 2];
                    return Math.round(sum / 1e5);
                });
            // Pictures come when they come: waits until what is seen stays the same, or becomes what is asked.
            const settled = async () => {
                let before = await hash();
                for (let same = 0, i = 0; same < 4 && i < 100; i++) {
                    await page.waitForTimeout(200);
                    const now = await hash();
                    same = now === before ? same + 1 : 0;
                    before = now;
                }
                return before;
            };
            const lifted = await settled();
            await page.keyboard.down('q');
            await becomes(hash, (h) => Math.abs(h - lifted) > 20, 'the original looks unlike the lifted ink');
            await page.keyboard.up('q');
            await becomes(hash, (h) => Math.abs(h - lifted) <= 3, 'letting go brings the ink back');
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'a change made in another window is shown, and a stale step is told instead of overwriting'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const all = await (await fetch(`${url}/api/productions`)).json();
            const { id } = all.find((p) => p.name === 'Kettle Post').shots[0].drawings[4];
            await page.goto(`${url}/#/drawing/${id}/lift`);
            await page.getByRole('button', { name: 'Lift and trace' }).click();
            await page.getByRole('button', { name: /Settle \d+ sure/ }).waitFor();
            const view = await (await fetch(`${url}/api/drawings/${id}`)).json();
            const post = (path, body) =>
                fetch(`${url}/api/drawings/${id}${path}`, {
                    method: 'POST',
                    headers: { 'x-rhizograph': '1', 'content-type': 'application/json' },
                    body: JSON.stringify(body),
                });
            const ids = view.findings.filter((f) => f.sure).map((f) => f.id);
            const other = await post('/commands', {
                revision: view.info.revision,
                command: { of: 'findings', do: 'settle', ids, with: null },
            });
            assert.equal(other.status, 200);
            await page.getByText(`step ${view.steps + 1}`).waitFor();
            const stale = await post('/undo', { revision: view.info.revision });
            assert.equal(stale.status, 409);
            assert.equal((await stale.json()).revision, view.info.revision + 1);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
