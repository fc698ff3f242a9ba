/** The rough under a drawing, laid by hand: moved by dragging, turned about its middle with Shift. */
import Move from '@lucide/svelte/icons/move';
import type { Laid } from '../geometry/camera.svelte';
import { underlay } from '../state/underlay.svelte';
import type { Pt } from '../types/Pt';
import type { How, Tool } from './tool';

/** How it lay when the stroke began; none: nothing is dragged. */
let before: Laid | null = null;

function lay(stroke: Pt[], { inSteps }: How) {
    const [from, to] = [stroke[0], stroke[stroke.length - 1]];
    const { rough, look } = underlay;
    if (!from || !to || !rough) return;
    const { x, y, angle } = (before ??= { x: look.x, y: look.y, angle: look.angle });
    if (!inSteps) return Object.assign(look, { x: x + to[0] - from[0], y: y + to[1] - from[1], angle });
    const middle: Pt = [rough.width / 2 + x, rough.height / 2 + y];
    const lean = (p: Pt) => Math.atan2(p[1] - middle[1], p[0] - middle[0]);
    Object.assign(look, { x, y, angle: angle + lean(to) - lean(from) });
}

export const rough: Tool = {
    id: 'rough',
    name: 'Lay the rough',
    help: 'Drag the rough where it should lie; turn it with Shift',
    icon: Move,
    cursor: 'grab',
    grows: (stroke, _, how) => lay(stroke, how),
    gaveUp() {
        if (before) Object.assign(underlay.look, before);
        before = null;
    },
    use() {
        before = null;
        underlay.keep();
    },
};
