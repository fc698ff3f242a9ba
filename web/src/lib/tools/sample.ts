/** A pencil colour taken from the sheet, to be dropped. */
import Pipette from '@lucide/svelte/icons/pipette';
import { pixel } from '../api';
import { settings } from '../state/inking.svelte';
import { tellError } from '../state/notices.svelte';
import { sheet } from '../state/sheet.svelte';
import type { Stroke, Tool } from './tool';

async function take({ to: [x, y] }: Stroke) {
    const view = sheet.view;
    if (!view || x < 0 || y < 0 || x >= view.width || y >= view.height) return;
    try {
        await settings.addSample(await pixel(view.info.id, Math.floor(x), Math.floor(y)));
    } catch (e) {
        tellError(e);
    }
}

export const sample: Tool = {
    id: 'sample',
    name: 'Sample pencil',
    help: 'Click a pencil line: its colour is dropped',
    icon: Pipette,
    cursor: 'copy',
    use: take,
};
