/** The Lift station, control by control: each moves the picture, is saved, and can be undone. */
import assert from 'node:assert/strict';
import { becomes, colourAt, demoDrawing, getJson, nudge, onPage, openAt, openBrowser, saved } from '../browser.mjs';

export const tests = {
    async 'pencil comes back when it is not dropped, and goes again when it is sampled'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 1);
            const view = () => getJson(url, `/drawings/${id}`);
            await openAt(page, url, id, 'lift');
            assert.equal((await view()).lift.drop_out.length, 1, 'a first colour is proposed');
            await page.getByRole('button', { name: 'Stop dropping this colour' }).hover();
            await page.mouse.move(640, 400);
            await page.getByRole('button', { name: 'Stop dropping this colour' }).click();
            await saved(page);
            assert.deepEqual((await view()).recipes.lift.drop_out, []);
            // The ground's pencil line runs all along: on it, beside the ink.
            const { original: size } = await view();
            const pencil = await pencilPlace(page, url, id);
            await page.getByRole('button', { name: 'sample', exact: true }).click();
            await page.mouse.click(...(await onPage(page, { width: size[0], height: size[1] }, pencil)));
            await page.getByRole('button', { name: 'Stop dropping this colour' }).waitFor();
            await saved(page);
            const sampled = (await view()).recipes.lift.drop_out;
            assert.equal(sampled.length, 1);
            assert.ok(sampled[0][2] > sampled[0][0] + 20, `blue: ${sampled[0]}`);
            await page.getByRole('button', { name: 'auto', exact: true }).first().click();
            await saved(page);
            assert.equal((await view()).recipes.lift.drop_out, null);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'points trade thin lines for pencil, told in figures while they are moved'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 3);
            await openAt(page, url, id, 'lift');
            const trade = page.getByTestId('trade');
            const lost = async () => parseFloat(await trade.innerText());
            await trade.waitFor();
            assert.ok((await lost()) < 0.2);
            await page.getByRole('slider', { name: 'paper point' }).focus();
            for (let i = 0; i < 66; i++) await page.keyboard.press('ArrowLeft');
            await saved(page);
            await page.waitForFunction(
                () => parseFloat(document.querySelector('[data-testid=trade]').innerText) >= 0.3,
            );
            const view = await getJson(url, `/drawings/${id}`);
            assert.ok(view.recipes.lift.points.paper > 0.7);
            await page.getByRole('button', { name: 'auto', exact: true }).click();
            await saved(page);
            await page.waitForFunction(() => parseFloat(document.querySelector('[data-testid=trade]').innerText) < 0.2);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'specks are counted as the slider moves, and a dot that is meant is protected by a click'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 2);
            const view = () => getJson(url, `/drawings/${id}`);
            await openAt(page, url, id, 'lift');
            const before = (await view()).lift.specks_gone;
            await nudge(page, 'Specks under', 60);
            const many = (await view()).lift;
            assert.ok(many.specks_gone > before, `${many.specks_gone} of ${before}`);
            await page.getByText(`0.72 mm² · ${many.specks_gone} go`).waitFor();
            const dot = many.specks[0];
            await page.getByRole('button', { name: 'Protect', exact: true }).click();
            await page.mouse.click(...(await onPage(page, await view(), dot)));
            await saved(page);
            await page.getByText('1 protected').waitFor();
            const now = await view();
            assert.equal(now.by_hand.protected.length, 1);
            assert.ok(now.lift.specks_gone < many.specks_gone);
            await page.mouse.click(...(await onPage(page, now, dot)));
            await saved(page);
            assert.equal((await view()).by_hand.protected.length, 0);
            await nudge(page, 'Pinholes under', 40);
            assert.ok((await view()).recipes.lift.pinholes > 0.4);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'the touch-up brush erases where it paints; the area is inverted, cleared and undone stroke by stroke'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 4);
            const view = () => getJson(url, `/drawings/${id}`);
            await openAt(page, url, id, 'lift');
            const fresh = await view();
            await page.getByRole('button', { name: 'take the brush' }).click();
            await page.getByRole('radio', { name: 'Erase' }).click();
            await page.getByLabel('Show', { exact: true }).uncheck();
            const [x, y] = await onPage(page, fresh, [1200, 1502]);
            const isInk = async () => {
                let least = 255;
                for (let d = -8; d <= 8; d++) least = Math.min(least, (await colourAt(page, [x, y + d]))[0]);
                return least < 120;
            };
            assert.ok(await isInk(), 'the ground line is there');
            await page.mouse.move(x - 30, y);
            await page.mouse.down();
            await page.mouse.move(x + 30, y, { steps: 6 });
            await page.mouse.up();
            await saved(page);
            await page.mouse.move(x, y - 200);
            await becomes(isInk, (is) => !is, 'it is erased');
            assert.equal((await view()).by_hand.touches.length, 1);
            await page.getByRole('button', { name: 'Invert' }).click();
            await saved(page);
            assert.deepEqual((await view()).by_hand.inverted, ['erase']);
            await page.getByRole('button', { name: 'Clear', exact: true }).click();
            await saved(page);
            assert.deepEqual((await view()).by_hand, fresh.by_hand);
            for (let i = 0; i < 3; i++) {
                await page.keyboard.press('Control+z');
                await saved(page);
            }
            assert.deepEqual((await view()).by_hand, fresh.by_hand);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },

    async 'edge, grain, channels, ink colour and polarity are set and told; tint and wipe compare'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const { id } = await demoDrawing(url, 5);
            const recipe = async () => (await getJson(url, `/drawings/${id}`)).recipes.lift;
            await openAt(page, url, id, 'lift');
            await page.getByRole('radio', { name: 'Soft 3' }).click();
            await page.getByText('Keeps light pressure').waitFor();
            await page.getByRole('button', { name: /^Ink colour, grain/ }).click();
            await nudge(page, 'Grain', 60);
            await page.getByRole('radio', { name: 'Hide blue' }).click();
            await page.getByRole('radio', { name: 'Dark ink' }).click();
            await page.getByRole('radio', { name: 'As drawn' }).click();
            await nudge(page, 'Even light', -40);
            await nudge(page, 'Softness', 5);
            await saved(page);
            const now = await recipe();
            assert.equal(now.edge, 'soft3');
            assert.equal(now.grain, 0.6);
            assert.deepEqual(now.mix, [0, 0, 1]);
            assert.equal(now.polarity, 'dark_ink');
            assert.equal(now.as_drawn, true);
            assert.equal(now.even_light, 0.6);
            assert.equal(now.softness, 25);
            // Tint: the ink shows loud over the original.
            await page.keyboard.press('c');
            await page.waitForFunction(() => {
                const canvas = document.querySelector('canvas');
                const g = canvas.getContext('2d');
                const { data } = g.getImageData(0, 0, canvas.width, canvas.height);
                for (let i = 0; i < data.length; i += 4) {
                    if (data[i] > 180 && data[i + 1] < 60 && data[i + 2] > 90 && data[i + 2] < 160) return true;
                }
                return false;
            });
            await page.keyboard.press('c');
            await page.keyboard.press('w');
            await page.getByText('As scanned').waitFor();
            await page.keyboard.press('w');
            await page.getByLabel('Backdrop').selectOption('colour');
            await page.getByLabel('Colour of the backdrop').fill('#336699');
            await page.waitForFunction(() => {
                const canvas = document.querySelector('canvas');
                const [r, g, b] = canvas.getContext('2d').getImageData(canvas.width / 2, canvas.height / 2, 1, 1).data;
                return (r === 0x33 && g === 0x66 && b === 0x99) || r < 0x33;
            });
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};

/** A place on a pencil line away from the ink, px: the bluest of the sheet. */
async function pencilPlace(page, url, id) {
    return page.evaluate(async (address) => {
        const bytes = await (await fetch(address)).blob();
        const bitmap = await createImageBitmap(bytes);
        const canvas = new OffscreenCanvas(bitmap.width, bitmap.height);
        const g = canvas.getContext('2d');
        g.drawImage(bitmap, 0, 0);
        const { data } = g.getImageData(0, 0, bitmap.width, bitmap.height);
        let best = [0, 0, 0];
        for (let y = 200; y < bitmap.height - 200; y += 2) {
            for (let x = 200; x < bitmap.width - 200; x += 2) {
                let sum = 0;
                for (const [dx, dy] of [
                    [0, 0],
                    [1, 0],
                    [0, 1],
                    [1, 1],
                ]) {
                    const i = 4 * ((y + dy) * bitmap.width + x + dx);
                    sum += data[i + 2] > 150 ? data[i + 2] - data[i] : -99;
                }
                if (sum > best[0]) best = [sum, x, y];
            }
        }
        return [best[1], best[2]];
    }, `${url}/api/drawings/${id}/pictures/original?x=0&y=0&width=2400&height=1800&level=0`);
}
