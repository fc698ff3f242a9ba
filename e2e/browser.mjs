/** Debian's Chromium, driven; and small helpers that wait for what a user would see. */
import assert from 'node:assert/strict';
import { chromium } from 'playwright-core';

const FLAGS = [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
];

/** The one browser of a run: each of its contexts is as fresh as a new profile, and there at once. */
let browser;

/**
 * Opens a page in a context of its own; errors of the page are gathered in `troubles`. `asShipped`: strokes that are held
 * still become straight, as for whoever comes first.
 */
export async function openBrowser({ asShipped = false } = {}) {
    browser ??= await chromium.launch({ executablePath: '/usr/bin/chromium', args: FLAGS });
    const context = await browser.newContext({
        viewport: { width: 1280, height: 800 },
        acceptDownloads: true,
        // A server of the tests has a certificate that nobody signed.
        ignoreHTTPSErrors: true,
        // Nothing is caught half way through a fade.
        reducedMotion: 'reduce',
    });
    // A machine that stands still for a while holds the pen still, too: strokes stay as they are drawn.
    if (!asShipped) {
        await context.addInitScript(() => {
            if (location.origin !== 'null') localStorage.pen ??= JSON.stringify({ straightAfter: 2 });
        });
    }
    const page = await context.newPage();
    const troubles = [];
    page.on('pageerror', (e) => troubles.push(e.message));
    page.setDefaultTimeout(120_000);
    return { page, context, troubles, close: () => context.close() };
}

/** Ends the browser, if one was opened. */
export async function endBrowser() {
    await browser?.close();
    browser = undefined;
}

/**
 * Asks until the answer is as wanted, and gives it. A machine with much to do takes long over what is done in no time
 * elsewhere: it is waited for up to two minutes.
 */
export async function becomes(ask, wanted, what = 'what was waited for') {
    const until = performance.now() + 120_000;
    for (;;) {
        const now = await ask();
        if (wanted(now)) return now;
        if (performance.now() > until) assert.fail(`${what}: it stayed ${JSON.stringify(now)}`.slice(0, 400));
        await new Promise((r) => setTimeout(r, 50));
    }
}

/** Waits until nothing is on its way to the server. */
export async function saved(page) {
    await page.waitForFunction(() => document.querySelector('canvas')?.dataset.waiting === '0', null, { polling: 25 });
}

/** Where a place of the sheet is on the page, for a canvas that shows the whole sheet. */
export async function onPage(page, sheet, [x, y]) {
    const box = await page.getByLabel('The drawing').boundingBox();
    const margin = 48;
    const scale = Math.min((box.width - 2 * margin) / sheet.width, (box.height - 2 * margin) / sheet.height);
    return [
        box.x + box.width / 2 + (x - sheet.width / 2) * scale,
        box.y + box.height / 2 + (y - sheet.height / 2) * scale,
    ];
}

/** The canvas's colour at a place of the page. */
export async function colourAt(page, [x, y]) {
    return page.evaluate(
        ([x, y]) => {
            const canvas = document.querySelector('canvas');
            const box = canvas.getBoundingClientRect();
            const ratio = canvas.width / box.width;
            const g = canvas.getContext('2d');
            return [
                ...g.getImageData(Math.round((x - box.left) * ratio), Math.round((y - box.top) * ratio), 1, 1).data,
            ];
        },
        [x, y],
    );
}

/** The production of the demo. */
export async function demo(url) {
    const all = await (await fetch(`${url}/api/productions`)).json();
    return all.find((p) => p.name === 'Kettle Post');
}

/** A drawing of the demo's shot 012, or of another. */
export async function demoDrawing(url, n, shot = '012') {
    return (await demo(url)).shots.find((s) => s.number === shot).drawings[n];
}

export const getJson = async (url, path) => (await fetch(`${url}/api${path}`)).json();

/** Opens a drawing at a station and waits until its ink is told. */
export async function openAt(page, url, id, station) {
    await page.goto(`${url}/#/drawing/${id}/${station}`);
    await page.waitForFunction((id) => document.querySelector('canvas')?.dataset.glance === String(id), id);
}

/** Moves a slider by keys, as somebody without a mouse does: `steps` to the right, or to the left if below 0. */
export async function nudge(page, label, steps) {
    await page.getByLabel(label, { exact: true }).focus();
    for (let i = 0; i < Math.abs(steps); i++) await page.keyboard.press(steps > 0 ? 'ArrowRight' : 'ArrowLeft');
    await saved(page);
}

export const quantile = (values, q) =>
    [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * q))];

/** What was measured by that name since it was asked last. */
export const measured = (page, name) =>
    page.evaluate((name) => {
        const found = performance.getEntriesByName(name).map((e) => e.duration);
        performance.clearMeasures(name);
        return found;
    }, name);
