/**
 * Makes docs/screenshots anew from the demo: RHIZOGRAPH_URL names a server on a fresh database.
 *     RHIZOGRAPH_URL=http://127.0.0.1:7411 node e2e/screenshots.mjs
 */
import { fileURLToPath } from 'node:url';
import { endBrowser, onPage, openBrowser, saved } from './browser.mjs';
import { paintFirst } from './demo_paint.mjs';

const url = process.env.RHIZOGRAPH_URL ?? 'http://127.0.0.1:7411';
const folder = fileURLToPath(new URL('../docs/screenshots/', import.meta.url));
const { page, close } = await openBrowser({ asShipped: true });
const get = async (path) => (await fetch(`${url}/api${path}`)).json();
const { shots } = (await get('/productions')).find((p) => p.name === 'Kettle Post');
const drawings = shots.find((s) => s.number === '012').drawings;
const photo = shots.find((s) => s.number === '013').drawings[0];
const picture = async (name) => {
    await page.mouse.move(480, 690);
    // The peg bar's pictures and the canvas's tiles come when they come.
    await page.waitForFunction(() => [...document.images].every((i) => i.complete && i.naturalWidth > 0));
    await page.waitForTimeout(2500);
    await page.screenshot({ path: `${folder}${name}.png` });
};
const lift = async (n) => {
    await page.goto(`${url}/#/drawing/${drawings[n].id}/lift`);
    await page.getByRole('button', { name: 'Lift and trace' }).click();
    await page.getByRole('button', { name: /Settle \d+ sure/ }).waitFor();
    await saved(page);
    await page.keyboard.press('Shift+A');
    await saved(page);
};

const inked = (id) => page.waitForFunction((id) => document.querySelector('canvas')?.dataset.glance === String(id), id);

await page.goto(`${url}/#/drawing/${photo.id}/intake`);
await page.getByText('squared up by its four corners').waitFor();
await page.getByRole('button', { name: 'Four corners' }).click();
await page.getByRole('button', { name: 'Square up' }).waitFor();
await picture('intake');
await page.getByRole('button', { name: 'Cancel' }).click();
await page.keyboard.press('1');
await inked(photo.id);
await page.keyboard.press('w');
await picture('photo-to-ink');
await page.keyboard.press('w');

await page.goto(`${url}/#/drawing/${drawings[4].id}/lift`);
await inked(drawings[4].id);
await page.getByRole('slider', { name: 'paper point' }).focus();
for (let i = 0; i < 66; i++) await page.keyboard.press('ArrowLeft');
await saved(page);
await page.getByTestId('trade').hover();
await page.waitForTimeout(1500);
await page.screenshot({ path: `${folder}lift.png` });
await page.getByRole('button', { name: 'auto', exact: true }).click();
await saved(page);
await page.keyboard.press('2');
await page.getByRole('button', { name: 'Take +0.10 mm' }).click();
await saved(page);
await picture('weight');
await page.getByRole('button', { name: 'Take as lifted' }).click();
await saved(page);
await page.getByRole('button', { name: 'Bring in', exact: true }).click();
await page.getByRole('button', { name: 'Sheet feeder', exact: true }).click();
await picture('bring-in');
await page.getByRole('button', { name: 'Cancel' }).click();

await page.goto(`${url}/#/drawing/${drawings[6].id}/trace`);
await inked(drawings[6].id);
{
    const sheet = await get(`/drawings/${drawings[6].id}`);
    await page.mouse.move(...(await onPage(page, sheet, [1850, 720])));
    await page.mouse.wheel(0, -660);
    await picture('trace');
    await page.keyboard.press('f');
    await page.getByRole('button', { name: 'Trace', exact: true }).click();
    await page.getByRole('button', { name: /Settle \d+ sure/ }).waitFor();
    await saved(page);
    // Beside a gap there is paper that leaks by it.
    const traced = await get(`/drawings/${drawings[6].id}`);
    const gap = traced.findings.find((f) => f.kind === 'gap' && f.sure && !f.parts?.includes(null));
    const [x, y] = [(gap.at[0] + gap.to[0]) / 2, (gap.at[1] + gap.to[1]) / 2];
    const [px, py] = await onPage(page, traced, [x, y]);
    await page.mouse.move(px, py);
    await page.mouse.wheel(0, -500);
    await page.getByRole('button', { name: 'Leak test' }).click();
    for (let k = 0; k < 8; k++) {
        await page.mouse.click(px + 70 * Math.cos((k * Math.PI) / 4), py + 70 * Math.sin((k * Math.PI) / 4));
        await page.waitForTimeout(600);
        if ((await page.getByText(/Leaks out here|narrowest here/).count()) > 0) break;
    }
    await page.waitForTimeout(4000);
    await picture('leak-test');
    // Steam, and a stroke that is still wet.
    await page.keyboard.press('f');
    await page.keyboard.press('4');
    const puff = async (x, y, rises, isLast) => {
        const at = (t) => onPage(page, traced, [x + 46 * Math.sin(5.5 * t), y - rises * t]);
        await page.mouse.move(...(await at(0)));
        await page.mouse.down();
        for (let k = 1; k <= 24; k++) await page.mouse.move(...(await at(k / 24)));
        if (!isLast) await page.mouse.up();
        await saved(page);
    };
    await puff(1150, 130, 110, false);
    await puff(1270, 120, 100, false);
    await puff(1030, 150, 120, true);
    await page.waitForTimeout(200);
    await page.screenshot({ path: `${folder}draw.png` });
    await page.mouse.up();
    await saved(page);
    await page.keyboard.press('5');
    await page.mouse.move(px, py);
    await page.mouse.wheel(0, -500);
    await page.waitForTimeout(1500);
    await page.keyboard.press('Escape');
    await page.getByRole('button', { name: 'Cut out', exact: true }).click();
    const around = [0, 1, 2, 3, 4, 5, 6, 7, 8].map((k) => [
        px + 150 + 90 * Math.cos((k * Math.PI) / 4.5),
        py + 20 + 60 * Math.sin((k * Math.PI) / 4.5),
    ]);
    await page.mouse.move(...around[0]);
    await page.mouse.down();
    for (const p of around) await page.mouse.move(...p, { steps: 4 });
    await page.waitForTimeout(1500);
    await page.screenshot({ path: `${folder}cut-out.png` });
    await page.keyboard.press('Escape');
    await page.mouse.up();
    await saved(page);
}

await lift(1);
await lift(0);
for (let i = 0; i < 60; i++) {
    const view = await get(`/drawings/${drawings[0].id}`);
    const asked = (f) => !f.left && !f.quiet && !['unpainted', 'two_paints'].includes(f.kind);
    const open = view.findings.filter(asked);
    if (open.length === 0) break;
    await page.keyboard.press('j');
    await page.keyboard.press('x');
    await saved(page);
}
await page.keyboard.press('6');
await page.keyboard.press('f');
const view = await get(`/drawings/${drawings[0].id}`);
await paintFirst(page, url, drawings[0].id);
// A shadow on the kettle, by a stroke.
await page.getByRole('button', { name: 'Tone cut', exact: true }).click();
{
    const path = [
        [1290, 380],
        [1235, 500],
        [1215, 640],
    ];
    const [first, ...rest] = await Promise.all(path.map((p) => onPage(page, view, p)));
    await page.mouse.move(...first);
    await page.mouse.down();
    for (const p of rest) await page.mouse.move(...p, { steps: 8 });
    await page.mouse.up();
    await saved(page);
}
await page.getByRole('button', { name: 'Change Kettle', exact: true }).click();
await picture('colours');
await page.getByRole('button', { name: 'Close', exact: true }).click();
await page.keyboard.press('7');
await picture('hand-off');
// The next one is painted from it, and what is doubtful is asked.
await page.keyboard.press('6');
await page.getByRole('button', { name: 'Paint A-02 like this' }).click();
await page.waitForURL(`**/drawing/${drawings[1].id}/paint`);
await page.getByText(/\d+ carried/).waitFor();
await page.keyboard.press('f');
await page.getByRole('button', { name: /^Doubtful \d/ }).click();
await page.keyboard.press('j');
await picture('paint');

// The kettle that was drawn on a tablet, mended and in hand.
const kettle = shots.find((s) => s.number === '014').drawings[0];
await page.goto(`${url}/#/drawing/${kettle.id}/draw`);
await page.waitForURL(`**/drawing/${kettle.id}/draw`);
await saved(page);
await page.waitForTimeout(1500);
{
    const drawn = await get(`/drawings/${kettle.id}`);
    const to = (p) => onPage(page, drawn, p);
    await page.getByRole('button', { name: 'Mend' }).click();
    await page.getByRole('button', { name: 'Redraw', exact: true }).click();
    await page.getByLabel('Chart').selectOption('12');
    await page.mouse.move(...(await to([654, 1010])));
    await page.mouse.down();
    for (let k = 1; k <= 20; k++) {
        const at = [654 - 90 * Math.sin((Math.PI * k) / 20), 1010 + 12 * k];
        await page.mouse.move(...(await to(at)));
    }
    await page.waitForTimeout(300);
    await page.screenshot({ path: `${folder}mend.png` });
    await page.mouse.up();
    await saved(page);
    await page.keyboard.press('Control+z');
    await page.getByLabel('Chart').selectOption('none');
    await page.getByRole('button', { name: 'Take in hand', exact: true }).click();
    await page.mouse.click(...(await to([1851, 640])));
    await page.keyboard.down('Shift');
    await page.mouse.click(...(await to([1931, 620])));
    await page.keyboard.up('Shift');
    await page.waitForTimeout(800);
    await page.screenshot({ path: `${folder}in-hand.png` });
    // A straight line that meets what is plumb and level with ends, beside two guides.
    await page.keyboard.press('Escape');
    const box = await page.getByLabel('The drawing').boundingBox();
    for (const [from, end] of [
        [
            [box.x + 640, box.y + 5],
            [box.x + 640, box.y + 260],
        ],
        [
            [box.x + 5, box.y + 430],
            [box.x + 300, box.y + 430],
        ],
    ]) {
        await page.mouse.move(...from);
        await page.mouse.down();
        await page.mouse.move(...end, { steps: 4 });
        await page.mouse.up();
    }
    await page.getByRole('button', { name: 'Shapes' }).click();
    await page.getByRole('button', { name: 'Line', exact: true }).click();
    // Above the right end of the ground, as high as the steam.
    await page.mouse.move(...(await to([1500, 1100])));
    await page.mouse.down();
    await page.mouse.move(...(await to([2228, 343])), { steps: 6 });
    await page.waitForTimeout(300);
    await page.screenshot({ path: `${folder}draw-aids.png` });
    await page.keyboard.down('Control');
    await page.mouse.up();
    await page.keyboard.up('Control');
    await saved(page);
    await page.keyboard.press('Control+z');
    await saved(page);
    await page.getByRole('button', { name: 'Take them away' }).click();
    await page.keyboard.press('Escape');
}

for (const n of [2, 3]) await lift(n);
await page.goto(`${url}/#/drawing/${drawings[5].id}/lift`);
await page.getByRole('button', { name: 'Lift and trace' }).click();
await page.getByRole('button', { name: /Settle \d+ sure/ }).waitFor();
for (let i = 0; i < 2; i++) await page.keyboard.press('j');
await picture('join');
await page.getByRole('button', { name: 'Change the theme' }).click();
await picture('join-dusk');
await page.getByRole('button', { name: 'Change the theme' }).click();

// Somebody else is on the next drawing; the neighbours lie on the light table.
const say = (method, path, body) =>
    fetch(`${url}/api${path}`, {
        method,
        headers: {
            'x-rhizograph': '1',
            'x-rhizograph-author': 'postmistress',
            'content-type': 'application/json',
        },
        body: JSON.stringify(body),
    });
const sid = shots.find((s) => s.number === '012').id;
await say('PUT', '/me', { name: 'Post Mistress', colour: [106, 74, 128] });
await say('POST', '/here', { shot: sid, drawing: drawings[3].id });
await page.goto(`${url}/#/drawing/${drawings[2].id}/draw`);
await page.waitForURL(`**/drawing/${drawings[2].id}/draw`);
await page.keyboard.press('h');
await picture('light-table');
await page.keyboard.press('h');
await page.goto(`${url}/#/`);
await page.getByRole('heading', { name: 'Along the sea wall' }).waitFor();
await picture('shots');
await close();
await endBrowser();
