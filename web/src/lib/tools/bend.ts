/** A line bent by dragging it. */
import Spline from '@lucide/svelte/icons/spline';
import { lineAt } from '../drawn/under';
import { pathOf } from '../drawn/paths';
import { bench } from '../state/bench.svelte';
import { held } from '../state/held.svelte';
import { mending } from '../state/mending.svelte';
import { sheet } from '../state/sheet.svelte';
import { tried } from '../state/tried.svelte';
import type { Command } from '../types/Command';
import type { Pt } from '../types/Pt';
import { drawTried } from './ring';
import type { InHand, Stroke, Tool } from './tool';

const NEAR = 10;
const reach = () => (mending.settings.reach / 25.4) * (sheet.view?.dpi ?? 300);

function lineOn(p: Pt) {
    const ids = new Set(held.ids);
    return lineAt(p, NEAR / bench.camera.scale, (l) => ids.size === 0 || ids.has(l.id));
}

function command(from: Pt, to: Pt): Command | null {
    const line = lineOn(from);
    return line ? { of: 'mend', do: 'bend', line: line.id, from, to, reach: reach() } : null;
}

function draw(hand: InHand) {
    drawTried(hand);
    const { g, camera, stroke, hover, onSheet } = hand;
    const at = stroke[0] ?? (hover ? camera.toSheet(hover) : null);
    const line = at ? lineOn(at) : undefined;
    if (!line || tried.told) return;
    onSheet(() => {
        g.strokeStyle = '#de9f27';
        g.lineWidth = 2.5 / camera.scale;
        g.stroke(pathOf(line));
    });
}

export const bend: Tool = {
    id: 'bend',
    name: 'Bend',
    help: 'Drag a line where it should go; its ends stay, unless you take one',
    icon: Spline,
    cursor: 'grab',
    follows: true,
    grows(path) {
        const step = command(path[0]!, path[path.length - 1]!);
        if (step) void tried.ask(step);
    },
    gaveUp: () => tried.clear(),
    async use({ from, to, still }: Stroke) {
        const step = still ? null : command(from, to);
        if (step) await sheet.do(step);
        tried.clear();
    },
    draw,
    drawsOn: () => 'all',
    always: () => true,
};
