/** Debian's Chromium, driven; and small helpers that wait for what a user would see. */
import { chromium } from 'playwright-core';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const FLAGS = [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
];

/** Opens a browser with a fresh profile; errors of the page are gathered in `troubles`. */
export async function openBrowser(viewport = { width: 1280, height: 800 }) {
    const profile = await mkdtemp(join(tmpdir(), 'rhizograph-profile-'));
    const context = await chromium.launchPersistentContext(profile, {
        executablePath: '/usr/bin/chromium',
        args: FLAGS,
        viewport,
        acceptDownloads: true,
        // Nothing is caught half way through a fade.
        reducedMotion: 'reduce',
    });
    const page = context.pages()[0] ?? (await context.newPage());
    const troubles = [];
    page.on('pageerror', (e) => troubles.push(e.message));
    page.setDefaultTimeout(30_000);
    const close = async () => {
        await context.close();
        await rm(profile, { recursive: true, force: true });
    };
    return { page, context, troubles, close };
}

/** Waits until nothing is on its way to the server. */
export async function saved(page) {
    await page.waitForFunction(() => document.querySelector('canvas')?.dataset.waiting === '0');
}

/** Where a place of the sheet is on the page, for a canvas that shows the whole sheet. */
export async function onPage(page, sheet, [x, y]) {
    const box = await page.locator('canvas').boundingBox();
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
