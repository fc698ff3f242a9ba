/** A stroke that parts regions: one side takes a tone. */
import SunMoon from '@lucide/svelte/icons/sun-moon';
import { colours } from '../state/colours.svelte';
import { probe } from '../state/probe.svelte';
import { sheet } from '../state/sheet.svelte';
import { tell } from '../state/notices.svelte';
import { seam } from './seam';
import type { Stroke, Tool } from './tool';

function cut({ path, still, how }: Stroke) {
    if (still || path.length < 2) return;
    const tone = colours.shade;
    if (!tone) return tell('The colour model has no tones', 'Name one under the three dots.', true);
    return sheet.do({ of: 'paint', do: 'tone_cut', path, tone, larger: how.fromCentre });
}

export const toneCut: Tool = {
    ...seam,
    id: 'tone-cut',
    name: 'Tone cut',
    help: 'Draw across a painted region: the smaller side takes the tone in hand, the larger with Alt',
    icon: SunMoon,
    grows: (stroke) => void probe.land(stroke),
    use: cut,
};
