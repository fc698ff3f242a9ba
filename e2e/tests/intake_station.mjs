/** Bringing sheets in: from files, from the two devices; laying them out. */
import assert from 'node:assert/strict';
import { demo, demoDrawing, getJson, onPage, openBrowser, saved } from '../browser.mjs';

/** Drags from one place of the sheet to another; the whole sheet is shown. */
async function drag(page, size, from, to) {
    // The canvas follows a change of its size with the next frame.
    await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))));
    const a = await onPage(page, size, from);
    const b = await onPage(page, size, to);
    await page.mouse.move(...a);
    await page.mouse.down();
    await page.mouse.move((a[0] + b[0]) / 2, (a[1] + b[1]) / 2);
    await page.mouse.move(...b);
    await page.mouse.up();
    await saved(page);
}

export const tests = {
    async 'a sheet is straightened, cropped, turned and squared up, each a step that undo takes back'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 6);
            const view = () => getJson(url, `/drawings/${id}`);
            const fresh = await view();
            assert.equal(fresh.recipes.intake.register.pegs, true, 'the peg holes lined it up');
            await page.goto(`${url}/#/drawing/${id}/intake`);
            await page.getByText('by its peg holes, with the shot').waitFor();
            await page.getByText('3 covered with paper').waitFor();

            await page.getByRole('button', { name: 'Level', exact: true }).click();
            await drag(page, fresh, [300, 900], [2100, 980]);
            let now = await view();
            const angle = (Math.atan2(80, 1800) * 180) / Math.PI;
            assert.ok(Math.abs(now.recipes.intake.straighten + angle) < 0.2, `${now.recipes.intake.straighten}`);
            assert.equal(now.recipes.intake.register, null);

            await page.getByRole('button', { name: 'Crop', exact: true }).click();
            await drag(page, fresh, [400, 300], [2000, 1500]);
            now = await view();
            assert.ok(
                Math.abs(now.width - 1600) < 12 && Math.abs(now.height - 1200) < 12,
                `${now.width} x ${now.height}`,
            );
            await page.getByText(/^to \d+ mm × \d+ mm$/).waitFor();

            await page.getByRole('button', { name: 'Quarter turn' }).click();
            await saved(page);
            now = await view();
            assert.deepEqual([now.width, now.height], [fresh.height, fresh.width]);
            await page.getByText('90°', { exact: true }).waitFor();

            for (let i = 0; i < 3; i++) {
                await page.keyboard.press('Control+z');
                await saved(page);
            }
            assert.deepEqual((await view()).recipes, fresh.recipes);
            // The page shows it, too.
            await page.getByText('by its peg holes, with the shot').waitFor();

            await page.getByRole('button', { name: 'Four corners' }).click();
            await page.getByRole('button', { name: 'Square up' }).waitFor();
            const size = { width: fresh.original[0], height: fresh.original[1] };
            await drag(page, size, [0.04 * size.width, 0.04 * size.height], [140, 160]);
            await page.getByRole('button', { name: 'Square up' }).click();
            await saved(page);
            now = await view();
            const [x, y] = now.recipes.intake.corners[0];
            assert.ok(Math.hypot(x - 140, y - 160) < 8, `${x}, ${y}`);
            await page.getByText('squared up by its four corners').waitFor();

            await page.getByRole('button', { name: 'Two marks', exact: true }).click();
            await drag(page, now, [500, 500], [1900, 520]);
            now = await view();
            const { from, to, pegs } = now.recipes.intake.register;
            assert.equal(pegs, false);
            assert.ok(Math.abs(to[0][1] - to[1][1]) < 0.01, 'the two marks lie level');
            assert.ok(Math.hypot(from[0][0] - 500, from[0][1] - 500) < 8);
            await page.getByText('by two marks, with the shot').waitFor();
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'the resolution is asked for when the file does not tell it'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 0, '013');
            await page.goto(`${url}/#/drawing/${id}/intake`);
            await page.getByText('The file does not tell.').waitFor();
            await page.getByText('squared up by its four corners').waitFor();
            await page.getByLabel('Resolution in dpi').fill('353');
            await page.getByRole('button', { name: 'Set', exact: true }).click();
            await saved(page);
            const view = await getJson(url, `/drawings/${id}`);
            assert.deepEqual([view.dpi, view.dpi_assumed], [353, false]);
            assert.equal(await page.getByText('The file does not tell.').count(), 0);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'the devices deliver their sheets one by one, and the shot lifts in the background'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            await page.goto(url);
            await page.getByRole('button', { name: 'New shot' }).click();
            await page.getByPlaceholder('Number, 014').fill('020');
            await page.getByPlaceholder('Name').fill('From the feeder');
            await page.getByRole('button', { name: 'Add the shot' }).click();
            await page.getByRole('heading', { name: 'From the feeder' }).waitFor();
            await page.getByRole('button', { name: 'Bring in drawings' }).first().click();
            await page.getByRole('button', { name: 'Sheet feeder', exact: true }).click();
            for (const n of [1, 3, 4, 6, 7, 8]) await page.getByRole('button', { name: `Sheet ${n}` }).click();
            await page.getByRole('radio', { name: '150 dpi' }).click();
            // Arrow keys choose among them, round and round; one of them is in the order of the tab key.
            const chosen = () => page.getByRole('radio', { name: /dpi/, checked: true }).innerText();
            await page.keyboard.press('ArrowRight');
            assert.equal(await chosen(), '300 dpi');
            await page.keyboard.press('ArrowLeft');
            await page.keyboard.press('ArrowLeft');
            assert.equal(await chosen(), '600 dpi');
            await page.keyboard.press('ArrowDown');
            assert.equal(await chosen(), '150 dpi');
            await page.getByRole('radio', { name: 'Grey' }).click();
            await page.getByRole('button', { name: 'Feed 2 sheets' }).click();
            await page.locator('tbody tr').first().waitFor();
            await page.getByTestId('job-count').filter({ hasText: '2 of 2' }).waitFor();
            await page.locator('tbody tr').nth(1).waitFor();
            await page.getByRole('button', { name: 'Bring in drawings' }).first().click();
            await page.getByRole('button', { name: 'Phone camera', exact: true }).click();
            for (const n of [1, 2, 3, 4, 5, 7, 8]) await page.getByRole('button', { name: `Sheet ${n}` }).click();
            await page.getByRole('button', { name: 'Take 1 photo' }).click();
            await page.locator('tbody tr').nth(2).waitFor();
            const shot = (await demo(url)).shots.find((s) => s.number === '020');
            assert.deepEqual(
                shot.drawings.map((d) => d.name),
                ['A-02', 'A-05', 'photo-06'],
            );
            const scan = await getJson(url, `/drawings/${shot.drawings[0].id}`);
            assert.deepEqual([scan.dpi, scan.dpi_assumed, scan.width], [150, false, 1200]);

            await page.getByRole('button', { name: 'A-02', exact: true }).click();
            await page.getByRole('button', { name: 'To the whole shot' }).click();
            await page.getByTestId('job-count').filter({ hasText: '3 of 3' }).waitFor({ timeout: 90_000 });
            const after = (await demo(url)).shots.find((s) => s.number === '020');
            assert.deepEqual(
                after.drawings.map((d) => d.progress.lifted),
                [true, true, true],
            );
            // The drawing on the bench shows what was done to it meanwhile.
            await page.getByText(/Lifted and traced: \d+ lines/).waitFor();
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
