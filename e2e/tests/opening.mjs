/**
 * How long it takes from asking for a drawing until it is seen, and until its lines can be worked on: prepared sheets of
 * 17 megapixels in shot 060, drawings of 5,000 lines in shot 070; at a server that has just been started, at one that had
 * it open, and from a neighbour. Prints the figures.
 */
import assert from 'node:assert/strict';
import { becomes, demo, measured, openBrowser, quantile } from '../browser.mjs';

/** How long somebody looks at a drawing before the next: its neighbours are asked for meanwhile. */
const LOOKS = 2000;
const STEPS = 4;

async function opened(page) {
    const [work] = await becomes(
        () => measured(page, 'open to work'),
        (m) => m.length > 0,
        'the drawing is open',
    );
    const [picture] = await measured(page, 'open to picture');
    assert.ok(picture <= work, `${picture} ${work}`);
    await page.waitForTimeout(LOOKS);
    return { picture, work };
}

export const tests = {
    async 'drawings are seen and worked on soon after they are asked for'(url) {
        const shots = (await demo(url)).shots;
        for (const [number, what] of [
            ['060', '17 megapixels'],
            ['070', '5,000 lines'],
        ]) {
            const { page, troubles, close } = await openBrowser();
            try {
                const { drawings } = shots.find((s) => s.number === number);
                const at = (k) => `#/drawing/${drawings[k].id}/join`;
                await page.goto(`${url}/${at(0)}`);
                const first = await opened(page);
                await page.reload();
                const again = await opened(page);
                const steps = [];
                for (let k = 1; k <= STEPS; k++) {
                    await page.evaluate((hash) => (location.hash = hash), at(k % 2));
                    steps.push(await opened(page));
                }
                const median = (of) => quantile(steps.slice(1).map(of), 0.5).toFixed(0);
                const told = ({ picture, work }) =>
                    `${picture.toFixed(0)} ms to the picture, ${work.toFixed(0)} ms to work`;
                console.log(
                    `figure: ${what}, opened: ${told(first)} at a server just started; ${told(again)} at one that had it open; a neighbour ${median((s) => s.picture)} ms, ${median((s) => s.work)} ms (medians of ${STEPS - 1})`,
                );
                // To reach: 200 and 500 ms, a neighbour within 100. What is refused is beyond what a busy machine explains.
                const longest = Math.max(...steps.slice(1).map((s) => s.work));
                assert.ok(longest < 15_000, `${longest} ms`);
                assert.deepEqual(troubles, []);
            } finally {
                await close();
            }
        }
    },
};
