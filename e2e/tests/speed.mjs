/**
 * How long it takes from moving a slider to the picture on the screen, on a colour scan of 17 megapixels from the sheet
 * feeder, which hangs in shot 060; dragged by mouse, at the whole sheet and at one pixel for one. Prints the figures.
 */
import assert from 'node:assert/strict';
import { demoDrawing, getJson, measured, openAt, openBrowser, quantile, saved } from '../browser.mjs';

/** Drags a slider back and forth by mouse, in as many small moves as a hand makes. */
async function drag(page, slider) {
    const box = await slider.boundingBox();
    const y = box.y + box.height / 2;
    // A tab of the histogram is dragged itself, a slider by its knob.
    const share = await slider.evaluate((e) =>
        e.type === 'range' ? (Number(e.value) - Number(e.min)) / (Number(e.max) - Number(e.min)) : null,
    );
    const from = share === null ? box.x + box.width / 2 : box.x + 8 + (box.width - 16) * share;
    const [least, most] = share === null ? [from - 60, from + 60] : [box.x + 8, box.x + box.width - 8];
    await page.mouse.move(from, y);
    await page.mouse.down();
    for (let i = 1; i <= 40; i++) {
        const wave = 60 * Math.sin((i / 40) * 1.7 * Math.PI);
        await page.mouse.move(Math.min(most, Math.max(least, from + wave)), y);
        await page.waitForTimeout(30);
    }
    await page.mouse.up();
    await saved(page);
}

export const tests = {
    async 'every slider moves the picture of a scan of 17 megapixels'(url) {
        const { page, troubles, close } = await openBrowser();
        try {
            const drawing = await demoDrawing(url, 0, '060');
            const view = await getJson(url, `/drawings/${drawing.id}`);
            assert.ok(view.width * view.height > 17e6, `${view.width} x ${view.height}`);
            await openAt(page, url, drawing.id, 'lift');
            const all = [];
            const full = [];
            for (const zoom of ['whole sheet', '1:1']) {
                await page.keyboard.press('1');
                await page.keyboard.press(zoom === '1:1' ? '0' : 'f');
                await page.waitForTimeout(1500);
                const sliders = [
                    ...['Reach', 'Even light', 'Specks under', 'Pinholes under'].map((n) => [
                        n,
                        page.getByLabel(n, { exact: true }),
                    ]),
                    ...['mid point', 'paper point'].map((n) => [n, page.getByRole('slider', { name: n })]),
                ];
                const one = async (name, slider) => {
                    await slider.scrollIntoViewIfNeeded();
                    await measured(page, 'slider to picture');
                    await measured(page, 'full result');
                    await drag(page, slider);
                    // The full result comes when the slider was let go.
                    let done = [];
                    for (let i = 0; i < 100 && done.length === 0; i++) {
                        await page.waitForTimeout(100);
                        done = await measured(page, 'full result');
                    }
                    const took = await measured(page, 'slider to picture');
                    assert.ok(took.length >= 2, `${name}: only ${took.length} pictures came`);
                    assert.ok(done.length > 0, `${name}: no full result came`);
                    all.push(...took);
                    full.push(...done);
                    const ms = (q) => quantile(took, q).toFixed(0);
                    console.log(
                        `figure: ${zoom}, ${name}: slider to picture ${ms(0.5)} ms median, ${ms(0.95)} ms p95, ${took.length} pictures; full result ${done[0].toFixed(0)} ms`,
                    );
                };
                for (const [name, slider] of sliders) await one(name, slider);
                await page.keyboard.press('2');
                await page.waitForTimeout(800);
                await one('weight', page.getByLabel('Each edge moves by', { exact: true }));
                // As it was, for what comes next.
                await page.getByRole('button', { name: 'Take as lifted' }).click();
                await saved(page);
            }
            console.log(
                `figure: all sliders of Lift and Weight on 17 megapixels: slider to picture ${quantile(all, 0.5).toFixed(0)} ms median, ${quantile(all, 0.95).toFixed(0)} ms p95; full result ${quantile(full, 0.5).toFixed(0)} ms median, ${Math.max(...full).toFixed(0)} ms worst`,
            );
            // To reach: 50 ms at p95 and 1 s. What is refused here is far beyond what a busy machine explains.
            assert.ok(quantile(all, 0.95) < 3000, `${quantile(all, 0.95)} ms`);
            assert.ok(quantile(full, 0.5) < 10_000, `${quantile(full, 0.5)} ms`);
            assert.deepEqual(troubles, []);
        } finally {
            await close();
        }
    },
};
