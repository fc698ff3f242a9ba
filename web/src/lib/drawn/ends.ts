/** Where lines end: what new ink catches. */
import { sheet } from '../state/sheet.svelte';
import type { Pt } from '../types/Pt';

const FIRST = /^M(-?[\d.]+) (-?[\d.]+)/;
const LAST = /(-?[\d.]+) (-?[\d.]+)$/;

/** The end of a line nearest to a place of the sheet, if one is as near, px. */
export function endNear(p: Pt, reach: number): Pt | null {
    let best: { at: Pt; far: number } | null = null;
    for (const line of sheet.view?.lines.within([...p, ...p], reach) ?? []) {
        // A closed one ends nowhere.
        if (line.kind === 'outline' || line.path.endsWith('Z')) continue;
        for (const end of [FIRST.exec(line.path), LAST.exec(line.path)]) {
            if (!end) continue;
            const at: Pt = [Number(end[1]), Number(end[2])];
            const far = Math.hypot(at[0] - p[0], at[1] - p[1]);
            if (far <= reach && far < (best?.far ?? Infinity)) best = { at, far };
        }
    }
    return best?.at ?? null;
}
