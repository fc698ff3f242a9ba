/** Lines rubbed: calmed, or pressed thicker or thinner, the more the longer; what becomes of them is seen meanwhile. */
import Feather from '@lucide/svelte/icons/feather';
import Waves from '@lucide/svelte/icons/waves';
import { bench } from '../state/bench.svelte';
import { held } from '../state/held.svelte';
import { mending } from '../state/mending.svelte';
import { sheet } from '../state/sheet.svelte';
import { tried } from '../state/tried.svelte';
import type { Command } from '../types/Command';
import type { Pt } from '../types/Pt';
import { drawRing, drawTried } from './ring';
import type { InHand, Stroke, Tool } from './tool';

/** How far around the pointer it works, px of the sheet. */
const radius = () => (mending.settings.radius / 25.4) * (sheet.view?.dpi ?? 300);

/** A rub reaches the server as so many points at most: one that stays where it was need not be told for ever. */
const MOST = 19_000;

function command(what: 'calm' | 'press', path: Pt[]): Command {
    const { strength, thinner } = mending.settings;
    const places = path.length > MOST ? path.filter((_, k) => k % Math.ceil(path.length / MOST) === 0) : path;
    const rub = { path: places.length > 1 ? places : [...places, ...places], radius: radius(), lines: held.ids };
    return what === 'calm'
        ? { of: 'mend', do: 'calm', ...rub, strength }
        : { of: 'mend', do: 'press', ...rub, strength: thinner ? -strength : strength };
}

function rub(what: 'calm' | 'press', look: Pick<Tool, 'name' | 'help' | 'icon'>): Tool {
    return {
        id: what,
        ...look,
        cursor: 'crosshair',
        follows: true,
        grows: (path) => void tried.ask(command(what, path)),
        gaveUp: () => tried.clear(),
        async use({ path }: Stroke) {
            await sheet.do(command(what, path));
            tried.clear();
        },
        draw(hand: InHand) {
            drawTried(hand);
            drawRing(hand, radius() * bench.camera.scale);
        },
        drawsOn: () => 'all',
        always: () => true,
    };
}

export const calm = rub('calm', {
    name: 'Calm',
    help: 'Rub along a line to smooth it, the longer the calmer; its ends and corners stay',
    icon: Waves,
});

export const press = rub('press', {
    name: 'Press',
    help: 'Rub along a line to make it thicker, or thinner',
    icon: Feather,
});
