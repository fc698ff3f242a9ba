import { demoDrawing, measured, openBrowser, saved, quantile } from './browser.mjs';
const url = process.env.RHIZOGRAPH_URL;
const { page, close } = await openBrowser();
const drawing = await demoDrawing(url, 0, '070');
await page.addInitScript(() => {
    window.T = [];
    const f = window.fetch;
    window.fetch = async (...a) => {
        const t0 = performance.now();
        if (String(a[0]).includes('/commands')) window.T.push(['fetch', t0]);
        else window.T.push(['other ' + String(a[0]).slice(-10), t0]);
        const r = await f(...a);
        if (String(a[0]).includes('/commands')) window.T.push(['head', performance.now()]);
        else window.T.push(['otherdone', performance.now()]);
        const j = r.json.bind(r);
        r.json = async () => { const v = await j(); if (String(a[0]).includes('/commands')) window.T.push(['json', performance.now()]); return v; };
        return r;
    };
    const raf = window.requestAnimationFrame;
    window.requestAnimationFrame = (cb) => raf((t) => { const s = performance.now(); cb(t); window.T.push(['raf', s, performance.now() - s]); });
    window.addEventListener('pointerup', (e) => window.T.push(['up', e.timeStamp, performance.now() - e.timeStamp]), true);
    const m = performance.measure.bind(performance);
    performance.measure = (n, o) => { const r = m(n, o); window.T.push([n, performance.now()]); return r; };
});
await page.goto(`${url}/#/drawing/${drawing.id}/join`);
await page.waitForFunction(() => /\d+ open/.test(document.body.innerText));
const box = await page.getByLabel('The drawing').boundingBox();
const place = (k) => [box.x + box.width * (0.2 + 0.6 * ((k * 0.37) % 1)), box.y + box.height * (0.2 + 0.55 * ((k * 0.61) % 1))];
for (const key of (process.argv[2] || '0f')) {
    await page.keyboard.press(key); await page.waitForTimeout(1500);
    await page.getByRole('button', { name: 'Seam', exact: true }).click();
    for (let k = 0; k < 14; k++) {
        await page.evaluate(() => { window.T = []; performance.clearResourceTimings(); });
        await measured(page, 'edit to ink');
        const [x, y] = place(k + 3);
        await page.mouse.move(x, y); await page.mouse.down();
        for (let i = 1; i <= 6; i++) await page.mouse.move(x + 46 * i / 6, y + 30 * i / 6);
        await page.mouse.up();
        await saved(page);
        await page.waitForFunction(() => performance.getEntriesByName('edit to ink').length > 0, null, { polling: 25 });
        await page.waitForTimeout(80);
        const { T, r } = await page.evaluate(() => ({ T: window.T, r: performance.getEntriesByType('resource').filter((e) => e.name.includes('/commands')).map((e) => [e.fetchStart, e.requestStart, e.responseStart, e.responseEnd]) }));
        const up = T.find((t) => t[0] === 'up')[1];
        console.log(key, k, T.filter((t) => t[1] >= up - 20 && t[1] < up + 150).map((t) => `${t[0]} ${(t[1] - up).toFixed(1)}${t[2] !== undefined ? `(${t[2].toFixed(1)})` : ''}`).join(' | '), '|| net', r.flat().map((v) => (v - up).toFixed(1)).join(' '));
    }
    await page.keyboard.press('Escape');
}
await close();
