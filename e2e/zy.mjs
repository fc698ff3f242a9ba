import { demoDrawing, measured, openBrowser, saved, quantile } from './browser.mjs';
const url = process.env.RHIZOGRAPH_URL;
const { page, close, troubles } = await openBrowser();
page.on('console', (m) => console.log('console', m.text()));
const drawing = await demoDrawing(url, 0, '070');
await page.goto(`${url}/#/drawing/${drawing.id}/join`);
await page.waitForFunction(() => /\d+ open/.test(document.body.innerText));
await page.keyboard.press('0'); await page.waitForTimeout(1500);
await page.keyboard.press('j');
await page.waitForTimeout(1000);

for (let k = 0; k < 3; k++) {
    await measured(page, 'edit to regions'); await measured(page, 'edit to ink');
    await page.keyboard.press('a');
    await page.waitForTimeout(3000);
    console.log(k, await measured(page, 'edit to regions'), await measured(page, 'edit to ink'), troubles, await page.evaluate(() => document.querySelector('[aria-current=true]')?.innerText));
}
await page.screenshot({ path: '/tmp/zy.png' });
await close();
