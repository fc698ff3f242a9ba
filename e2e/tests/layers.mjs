/** The layers of a file that comes in: some are the ink, another lies below, another lends its colours. */

import assert from 'node:assert/strict';
import { becomes, demo, demoDrawing, getJson, openBrowser, saved } from '../browser.mjs';

export const tests = {
    async 'layers are the ink, one or several, and one the rough or the reference'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const drawn = await demoDrawing(url, 0, '014');
            const out = await fetch(`${url}/api/drawings/${drawn.id}/hand-off/layers.ora?revision=${drawn.revision}`);
            // A file is brought in before it is known what there is: it waits, and comes into the shot that is opened.
            let known;
            const asked = new Promise((r) => (known = r));
            await page.route('**/api/productions', async (it) => {
                await asked;
                await it.continue();
            });
            await page.goto(`${url}/#/drawing/${drawn.id}/intake`);
            await page.getByTestId('intake').setInputFiles({
                name: 'kettle.ora',
                mimeType: 'image/openraster',
                buffer: Buffer.from(await out.arrayBuffer()),
            });
            await page.getByText('Bringing in 1 of 1').waitFor();
            known();
            const came = await becomes(
                async () =>
                    (await demo(url)).shots.find((s) => s.number === '014').drawings.find((d) => d.name === 'kettle'),
                (d) => d !== undefined,
                'the file in the shot',
            );
            await page.goto(`${url}/#/drawing/${came.id}/intake`);
            const layers = page.getByRole('region', { name: 'Layers of the file' });
            await layers.waitFor();
            const names = await getJson(url, `/drawings/${came.id}/layers`);
            const ink = names.findIndex((n) => n.split(' / ').at(-1) === 'Ink');
            const box = (name) => layers.getByRole('checkbox', { name: `Ink of ${name}`, exact: true });
            assert.ok(await box(names[ink]).isChecked(), 'the layer called ink is the ink');
            assert.ok(await box(names[ink]).isDisabled(), 'something has to be');

            const taken = async () => (await getJson(url, `/drawings/${came.id}`)).recipes.intake.layer;
            const other = (ink + 1) % names.length;
            await box(names[other]).click();
            await saved(page);
            assert.deepEqual(await taken(), { numbers: [ink, other].sort((a, b) => a - b) });
            await box(names[ink]).click();
            await saved(page);
            assert.deepEqual(await taken(), { numbers: [other] });
            await box('all of them, as the file looks').click();
            await saved(page);
            assert.equal(await taken(), 'whole');
            for (let k = 0; k < 3; k++) {
                await page.keyboard.press('Control+z');
                await saved(page);
            }
            await becomes(
                () => box(names[ink]).isChecked(),
                (is) => is,
                'the layer called ink is the ink again',
            );

            // The same layer as a rough, also from Draw's own list.
            const rough = layers.getByRole('button', { name: 'Rough' }).nth(ink);
            await rough.click();
            await layers.getByRole('button', { name: 'Rough', pressed: true }).waitFor();
            const { info } = await getJson(url, `/drawings/${came.id}`);
            const traced = await fetch(`${url}/api/drawings/${came.id}/commands`, {
                method: 'POST',
                headers: { 'content-type': 'application/json', 'x-rhizograph': '1' },
                body: JSON.stringify({ revision: info.revision, command: { of: 'trace', do: 'trace' } }),
            });
            assert.equal(traced.status, 200);
            await page.goto(`${url}/#/drawing/${came.id}/draw`);
            const below = page.getByLabel('Rough below');
            await becomes(
                () => below.inputValue(),
                (v) => v === `${came.id}:${ink}`,
                'the layer as a rough',
            );
            await below.selectOption({ label: 'none' });
            assert.equal(await below.inputValue(), '');

            await page.goto(`${url}/#/drawing/${came.id}/intake`);
            await layers.getByRole('button', { name: 'Reference' }).nth(ink).click();
            await page.goto(`${url}/#/drawing/${came.id}/paint`);
            await page.getByLabel('Reference picture').getByText(names[ink]).waitFor();
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
