/** Lines given the paint in hand: one by one, from crossing to crossing, all that bound a paint; or the ink's colour again. */
import Spline from '@lucide/svelte/icons/pen-line';
import { alongStroke, lineAt, regionAt } from '../drawn/under';
import { bench } from '../state/bench.svelte';
import { colours } from '../state/colours.svelte';
import { parted } from '../state/paint';
import { sheet } from '../state/sheet.svelte';
import type { LineView } from '../types/LineView';
import type { Pt } from '../types/Pt';
import type { Stroke, Tool } from './tool';
import { plain } from './trail';

/** How near to a line's middle is on it, px of the screen. */
const REACH = 9;

function colour({ path, to, still, how }: Stroke) {
    const paint = how.inSteps ? null : colours.paint;
    const reach = REACH / bench.camera.scale;
    if (still && how.fromCentre) return sheet.do({ of: 'paint', do: 'colour_span', at: to, swatch: paint });
    const under = (p: Pt) => lineAt(p, reach, (l) => l.kind !== 'seam');
    const hit = alongStroke(path)
        .map(under)
        .filter((l): l is LineView => l !== undefined);
    const lines = [...new Set(hit.filter((l) => (l.swatch ?? null) !== paint).map((l) => l.id))];
    if (lines.length) return sheet.do({ of: 'paint', do: 'colour_lines', lines, swatch: paint });
    const there = regionAt(to)?.swatch;
    // In the midst of paint all that bounds it is meant.
    if (still && hit.length === 0 && there)
        return sheet.do({ of: 'paint', do: 'colour_bounding', bounds: parted(there)[0], swatch: paint });
}

export const lineColour: Tool = {
    id: 'line-colour',
    name: 'Line colour',
    help: 'Click lines or drag over them, with Alt from crossing to crossing; click paint for all that bound it; Shift: the ink’s colour',
    icon: Spline,
    cursor: 'crosshair',
    use: colour,
    draw: plain,
};
