/**
 * A shot of 24 drawings of 9 megapixels lifted in the background while somebody drags a slider. Prints how long the shot
 * took and how long the slider's pictures, before and meanwhile. RHIZOGRAPH_URL names a server with the demo:
 *     RHIZOGRAPH_URL=http://127.0.0.1:7411 node e2e/background.mjs
 */
import { demo, demoDrawing, getJson, openAt, openBrowser, saved } from './browser.mjs';

const url = process.env.RHIZOGRAPH_URL ?? 'http://127.0.0.1:7411';
const headers = { 'x-rhizograph': '1', 'content-type': 'application/json' };
const post = async (path, body) =>
    (await fetch(`${url}/api${path}`, { method: 'POST', headers, body: JSON.stringify(body) })).json();
const quantile = (values, q) =>
    [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * q))];

/** Waits for the newest job of a shot; gives its count each time. */
async function finished(shot, meanwhile = async () => {}) {
    for (;;) {
        const [job] = await getJson(url, `/shots/${shot}/jobs`);
        if (job && job.state !== 'running') return job;
        await meanwhile(job);
        await new Promise((r) => setTimeout(r, 250));
    }
}

const { page, close } = await openBrowser();
const number = `B${Date.now() % 100000}`;
const { id: production } = await demo(url);
const shot = await post('/shots', { production, number, name: 'Twenty-four' });
const sheets = Array.from({ length: 24 }, (_, i) => i % 8);
await post(`/shots/${shot}/deliver`, { device: 'sheet_feeder', sheets, dpi: 434, grey: false });
await finished(shot);

const { id } = await demoDrawing(url, 4);
await openAt(page, url, id, 'lift');
/** Drags the mid point for a while; gives the times from slider to picture. */
async function dragged() {
    const box = await page.getByRole('slider', { name: 'mid point' }).boundingBox();
    const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
    await page.evaluate(() => performance.clearMeasures());
    await page.mouse.move(x, y);
    await page.mouse.down();
    for (let i = 1; i <= 60; i++) {
        await page.mouse.move(x + 50 * Math.sin(i / 8), y);
        await page.waitForTimeout(30);
    }
    await page.mouse.move(x, y);
    await page.mouse.up();
    await saved(page);
    return page.evaluate(() => performance.getEntriesByName('slider to picture').map((e) => e.duration));
}
const told = (name, times) =>
    console.log(
        `figure: ${name}: slider to picture ${quantile(times, 0.5).toFixed(0)} ms median, ${quantile(times, 0.95).toFixed(0)} ms p95`,
    );
told('with nothing else to do', await dragged());
const view = await getJson(url, `/drawings/${id}`);
const { lift, weight, trace } = view.recipes;
const began = Date.now();
await post(`/shots/${shot}/lift`, { lift: { ...lift, points: null }, weight, trace });
const meanwhile = [];
const job = await finished(shot, async () => meanwhile.push(...(await dragged())));
const seconds = (Date.now() - began) / 1000;
console.log(`figure: ${job.done} drawings of 9 megapixels lifted and traced in ${seconds.toFixed(0)} s`);
told('while the shot lifts', meanwhile);
await close();
