/** Paint: the colour model, filling, tones by a cut, line colour, and paint carried to the next drawing. */
import assert from 'node:assert/strict';
import { readFile } from 'node:fs/promises';
import { PNG } from 'pngjs';
import { becomes, colourAt, demo, onPage, openBrowser, saved } from '../browser.mjs';
import { sheetWith, step } from '../drawing.mjs';

const ring = (x, y, r) =>
    Array.from({ length: 61 }, (_, k) => (k / 60) * 2 * Math.PI).map((a) => [x + r * Math.cos(a), y + r * Math.sin(a)]);

const SIX = [
    ring(500, 500, 180),
    ring(1000, 500, 180),
    ring(1500, 500, 180),
    ring(500, 1100, 180),
    ring(1000, 1100, 180),
    ring(1500, 1100, 180),
];

const model = async (url) => (await demo(url)).shots.find((s) => s.number === '012');
const swatchAt = (view, [x, y]) =>
    view.regions.find((r) => r.bounds[0] < x && x < r.bounds[2] && r.bounds[1] < y && y < r.bounds[3])?.swatch ?? null;
const take = (page, name) => page.getByRole('button', { name, exact: true }).click();
const tool = (page, name) => page.getByRole('toolbar').getByRole('button', { name, exact: true }).click();

async function drag(page, size, places) {
    const [first, ...rest] = places;
    await page.mouse.move(...(await onPage(page, size, first)));
    await page.mouse.down();
    for (const p of rest) await page.mouse.move(...(await onPage(page, size, p)), { steps: 4 });
    await page.mouse.up();
    await saved(page);
}

export const tests = {
    async 'regions are filled by dragging, within a box, swapped, picked with their tone'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const sheet = await sheetWith(page, url, SIX, 'paint');
            const size = await sheet.view();
            await page.getByText('0 of 6 painted').waitFor();
            // Fast across three: each once, in one step.
            await page.keyboard.press('Shift+Digit3');
            await drag(page, size, [
                [400, 500],
                [1600, 500],
            ]);
            let view = await sheet.view();
            assert.deepEqual(
                [500, 1000, 1500].map((x) => swatchAt(view, [x, 500])),
                ['skin', 'skin', 'skin'],
            );
            assert.equal(view.undo, 'filled 3 regions');
            // What is empty within a box; the tone in hand goes along.
            await page.keyboard.press('n');
            await tool(page, 'Empties');
            await page.keyboard.down('Shift');
            await drag(page, size, [
                [250, 850],
                [1250, 1350],
            ]);
            await page.keyboard.up('Shift');
            view = await sheet.view();
            assert.deepEqual(
                [500, 1000, 1500].map((x) => swatchAt(view, [x, 1100])),
                ['skin/shadow', 'skin/shadow', null],
            );
            // A click picks swatch and tone; the one before is at hand by a key.
            await page.keyboard.press('Shift+Digit5');
            await tool(page, 'Pick');
            await drag(page, size, [[500, 1100]]);
            assert.equal(
                await page.getByRole('button', { name: 'Shadow', exact: true }).getAttribute('aria-pressed'),
                'true',
            );
            assert.equal(
                await page.getByRole('button', { name: 'Skin', exact: true }).getAttribute('aria-pressed'),
                'true',
            );
            await page.keyboard.press('e');
            assert.equal(
                await page.getByRole('button', { name: 'Kettle', exact: true }).getAttribute('aria-pressed'),
                'true',
            );
            // All of one paint becomes another.
            await tool(page, 'Swap');
            await drag(page, size, [[1000, 500]]);
            view = await sheet.view();
            assert.equal(swatchAt(view, [500, 500]), 'kettle');
            assert.equal(swatchAt(view, [500, 1100]), 'kettle/shadow', 'its tones go along');
            // Only lines, then only paint.
            const [x, y] = await onPage(page, size, [500, 500]);
            await page.mouse.move(5, 5);
            const there = () => colourAt(page, [x, y]);
            await page.keyboard.press('u');
            await becomes(there, (c) => c[2] > 200, 'paper');
            await page.keyboard.press('u');
            await becomes(there, (c) => c[2] < 90, 'paint');
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'a stroke gives a tone, lines take colours, and the light shades all'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const sheet = await sheetWith(page, url, [ring(600, 700, 300), ring(1600, 700, 300)], 'paint');
            const size = await sheet.view();
            await take(page, 'Skin');
            await drag(page, size, [[600, 700]]);
            await tool(page, 'Tone cut');
            await drag(page, size, [
                [480, 360],
                [470, 700],
                [480, 1040],
            ]);
            let view = await sheet.view();
            assert.equal(view.undo, 'toned 1 region');
            assert.deepEqual(view.regions.map((r) => r.swatch).sort(), ['skin', 'skin/shadow', null].sort());
            const shade = view.regions.find((r) => r.swatch === 'skin/shadow');
            assert.ok(shade.seed[0] < 480, 'the smaller side');
            const colours = await model(url);
            const skin = colours.swatches.find((s) => s.id === 'skin');
            await page.mouse.move(5, 5);
            assert.deepEqual(await colourAt(page, await onPage(page, size, shade.seed)), [...skin.tones.shadow, 255]);
            // Line colour: one by a click on it, all that bound a paint by a click in it, the ink's with Shift.
            await take(page, 'Kettle');
            await tool(page, 'Line colour');
            await drag(page, size, [[1900, 700]]);
            view = await sheet.view();
            assert.deepEqual(view.lines.map((l) => l.swatch ?? null).sort(), ['kettle', null, null].sort());
            await page.mouse.move(5, 5);
            // Seen from afar a line lets some of what is beside it through.
            const onLine = await onPage(page, size, [1900, 700]);
            const isRed = ([r, g, b]) => r - g > 60 && g - b < 60;
            await becomes(() => colourAt(page, onLine), isRed, 'the line has its colour');
            await drag(page, size, [[700, 700]]);
            view = await sheet.view();
            assert.equal(view.lines.filter((l) => l.swatch === 'kettle').length, 2);
            await page.keyboard.down('Shift');
            await drag(page, size, [[1900, 700]]);
            await page.keyboard.up('Shift');
            // With Alt only from crossing to crossing.
            await page.keyboard.down('Alt');
            await drag(page, size, [[1900, 700]]);
            await page.keyboard.up('Alt');
            assert.equal((await sheet.view()).undo, 'coloured a span');
            await page.keyboard.press('Control+z');
            await saved(page);
            // By a direction of light.
            await take(page, 'Shell plate');
            await tool(page, 'Fill');
            await drag(page, size, [[1600, 700]]);
            await tool(page, 'Tone cut');
            await page.getByRole('button', { name: /Direction of the light/ }).press('ArrowRight');
            await page.getByRole('button', { name: 'Give all their shadow' }).click();
            await saved(page);
            view = await sheet.view();
            assert.ok(
                view.regions.some((r) => r.swatch === 'shell-plate/shadow'),
                view.undo,
            );
            // Lines without a colour take the tone of what they bound.
            await page.getByLabel('More of the colour model').click();
            await page.getByRole('button', { name: 'Lines in the shadow of what they bound' }).click();
            await saved(page);
            view = await sheet.view();
            assert.ok(view.lines.some((l) => l.swatch === 'shell-plate/shadow'));
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'swatches are changed, toned, ordered, merged, and go out and in as files'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const sheet = await sheetWith(page, url, SIX.slice(0, 2), 'paint');
            const size = await sheet.view();
            await take(page, 'Sea wall');
            await drag(page, size, [[500, 500]]);
            // A new one, its colour typed in hex, changed by key, and shown at once where it is used.
            await page.getByRole('button', { name: 'swatch', exact: true }).click();
            await page.getByPlaceholder('Name').fill('Steam');
            await page.getByRole('button', { name: 'Add', exact: true }).click();
            const editor = page.getByRole('region', { name: 'Swatch', exact: true });
            await editor.getByLabel('Colour in hex').fill('#3c78b4');
            await editor.getByLabel('Colour in hex').press('Enter');
            await page.waitForFunction(() => document.querySelector('[aria-label="Blue"]')?.value === '180');
            await editor.getByLabel('Chroma and lightness').press('ArrowUp');
            const steam = async () => (await model(url)).swatches.find((s) => s.name === 'Steam');
            const { colour: lighter } = await becomes(steam, (s) => s.colour.join() !== '60,120,180');
            assert.ok(
                lighter.every((v, k) => v >= [60, 120, 180][k]),
                `${lighter}`,
            );
            // A tone is proposed from the base, darker.
            await editor.getByRole('button', { name: 'Shadow' }).click();
            const { tones } = await becomes(steam, (s) => s.tones.shadow);
            assert.ok(tones.shadow[1] < lighter[1]);
            await editor.getByLabel('Group').fill('Post');
            await editor.getByLabel('Group').press('Enter');
            await editor.getByLabel('Note').fill('only when it boils');
            await editor.getByLabel('Note').press('Enter');
            await editor.getByText('No drawing of the shot uses it.').waitFor();
            await becomes(steam, (s) => s.note === 'only when it boils');
            const ids = async () => (await model(url)).swatches.map((s) => s.id);
            assert.equal(
                (await ids()).indexOf('steam'),
                (await ids()).indexOf('letter') + 1,
                'behind those of its group',
            );
            // Dragged before another it lies there, in its group.
            await page.getByRole('button', { name: 'Close', exact: true }).click();
            const row = (name) => page.locator('li', { has: page.getByRole('button', { name, exact: true }) });
            await row('Shell plate').scrollIntoViewIfNeeded();
            await row('Skin').dragTo(row('Shell plate'));
            const inOrder = await becomes(ids, ([first]) => first === 'skin');
            assert.deepEqual(inOrder.slice(0, 2), ['skin', 'shell-plate']);
            assert.equal((await model(url)).swatches[0].group, 'Shell');
            // A pixel of a reference picture is its very colour.
            const png = new PNG({ width: 4, height: 1 });
            [
                [1, 2, 3],
                [250, 128, 7],
                [90, 91, 92],
                [0, 0, 0],
            ].forEach((c, k) => png.data.set([...c, 255], 4 * k));
            await page
                .getByTestId('reference-file')
                .setInputFiles({ name: 'brush.png', mimeType: 'image/png', buffer: PNG.sync.write(png) });
            const canvas = page.getByTestId('reference');
            await canvas.waitFor();
            const box = await canvas.boundingBox();
            await page.mouse.move(box.x + box.width * 0.37, box.y + box.height / 2);
            assert.equal(await page.getByTestId('under-pointer').textContent(), '#fa8007');
            await page.getByRole('button', { name: 'Change Steam' }).click();
            await page.mouse.click(box.x + box.width * 0.37, box.y + box.height / 2);
            await becomes(steam, (s) => s.colour.join() === '250,128,7');
            await page.getByLabel('Close the reference picture').click();
            // Merged: what has the one takes the other, and the one is gone.
            await page.getByRole('button', { name: 'Change Sea wall' }).click();
            await editor.getByText('Used in 1 drawing').waitFor();
            await editor.getByLabel('Put in its place').selectOption('steam');
            await editor.getByRole('button', { name: 'Merge' }).click();
            await becomes(sheet.view, (v) => swatchAt(v, [500, 500]) === 'steam');
            assert.ok(!(await ids()).includes('sea-wall'));
            // Out as a palette, and in again.
            await page.getByLabel('More of the colour model').click();
            const coming = page.waitForEvent('download');
            await page.getByRole('button', { name: 'Take out as .gpl' }).click();
            const text = await readFile(await (await coming).path(), 'utf8');
            assert.match(text, /250 128 {3}7\tSteam\n/);
            const before = (await ids()).length;
            await page.getByTestId('palette').setInputFiles({
                name: 'more.css',
                mimeType: 'text/css',
                buffer: Buffer.from(':root { --moss: #2f5d50; --moss--shadow: #1f3d35; }'),
            });
            await page.getByText('1 swatches came from more.css').waitFor();
            assert.equal((await ids()).length, before + 1);
            assert.deepEqual((await model(url)).swatches.at(-1).tones.shadow, [31, 61, 53]);
            await page
                .getByTestId('palette')
                .setInputFiles({ name: 'no.gpl', mimeType: 'text/plain', buffer: Buffer.from('nothing') });
            await page.getByText('no.gpl: These are no colours').waitFor();
            // The tones are the shot's to name.
            await page.getByLabel('More of the colour model').click();
            await page.getByRole('button', { name: 'Name the tones …' }).click();
            await page.getByLabel('Name of the tone').first().fill('Dusk');
            await page.getByLabel('Name of the tone').first().press('Enter');
            await page.getByRole('button', { name: 'Done' }).click();
            await page.getByRole('button', { name: 'Dusk', exact: true }).waitFor();
            // Undo takes a change of the model back, and it is done again.
            const dusk = page.getByRole('button', { name: 'Dusk', exact: true });
            await page.keyboard.press('Control+z');
            await dusk.waitFor({ state: 'detached' });
            await page.getByRole('button', { name: 'Do again' }).click();
            await dusk.waitFor();
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'the next drawing is painted from this one, and what is doubtful is settled by keys'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            // Two like rings within a third; in the next drawing they lie half way between.
            const rings = (by) => [ring(800 + by, 800, 150), ring(1210 + by, 800, 150), ring(1100, 800, 650)];
            const first = await sheetWith(page, url, rings(0), 'paint');
            const size = await first.view();
            const second = await sheetWith(page, url, rings(205), 'paint');
            await page.goto(`${url}/#/drawing/${first.id}/paint`);
            await page.getByText('0 of 3 painted').waitFor();
            const button = page.getByRole('button', { name: /^Paint .* like this$/ });
            assert.ok(await button.isDisabled(), 'nothing to paint from');
            for (const [name, at] of [
                ['Skin', [800, 800]],
                ['Kettle', [1210, 800]],
                ['Shell plate', [1100, 250]],
            ]) {
                await take(page, name);
                await drag(page, size, [at]);
            }
            await button.click();
            await page.waitForURL(`**/drawing/${second.id}/paint`);
            await page.getByText('3 of 3 painted, 3 carried').waitFor();
            let view = await second.view();
            assert.equal(view.info.progress.carried, 3);
            const asked = view.findings.filter((f) => f.kind === 'doubtful');
            assert.ok(asked.length >= 1, 'either may be either');
            // The first is told with what else it may be; another key takes that.
            await page.keyboard.press('j');
            const now = asked.find((f) => f.like.swatches.length > 1);
            const names = { skin: 'Skin', kettle: 'Kettle', 'shell-plate': 'Shell plate' };
            await page
                .getByText(`Looks like ${names[now.like.swatches[0]]}, may be ${names[now.like.swatches[1]]}`)
                .first()
                .waitFor();
            await page.keyboard.press('s');
            await saved(page);
            view = await second.view();
            assert.equal(view.info.progress.carried, 2, 'it is hers now');
            for (let n = 0; n < 4 && (await second.view()).info.progress.doubtful > 0; n++) {
                await page.keyboard.press('a');
                await saved(page);
            }
            view = await second.view();
            assert.deepEqual([view.info.progress.doubtful, view.info.progress.paint_open], [0, 0]);
            // What differs from the first is told when it is carried again; what is painted by hand stays.
            const mine = view.regions.map((r) => r.swatch).sort();
            await page.goto(`${url}/#/drawing/${first.id}/paint`);
            await page.getByText('3 of 3 painted').waitFor();
            await button.click();
            await page.waitForURL(`**/drawing/${second.id}/paint`);
            await saved(page);
            view = await second.view();
            assert.deepEqual(view.regions.map((r) => r.swatch).sort(), mine);
            assert.ok(view.findings.some((f) => f.kind === 'unlike'));
            // In the background to all behind, with progress; the shot tells what was carried.
            await page.goto(`${url}/#/drawing/${first.id}/paint`);
            await page.getByText('3 of 3 painted').waitFor();
            await step(url, second.id, { of: 'paint', do: 'replace', swatch: 'skin', by: null });
            await step(url, second.id, { of: 'paint', do: 'replace', swatch: 'kettle', by: null });
            await step(url, second.id, { of: 'paint', do: 'replace', swatch: 'shell-plate', by: null });
            const third = await sheetWith(page, url, rings(20), 'paint');
            await page.goto(`${url}/#/drawing/${first.id}/paint`);
            await page.getByText('3 of 3 painted').waitFor();
            await page.locator('summary', { hasText: 'More' }).last().click();
            await page.getByRole('button', { name: /^Paint B-\d+ to B-\d+$/ }).click();
            await page.getByText('Carry the paint').first().waitFor();
            await becomes(third.view, (v) => v.info.progress.carried === 3);
            await page.goto(`${url}/#/`);
            await page.getByText('painted by carrying').waitFor();
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
