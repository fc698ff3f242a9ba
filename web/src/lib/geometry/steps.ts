/** Steps of turning: what is drawn, dragged or looked at in steps turns by these. */
import type { Pt } from '../types/Pt';

/** Radians: 15 degrees. */
export const STEP = Math.PI / 12;

export const inSteps = (angle: number) => Math.round(angle / STEP) * STEP;

/** The place on the next step's way from a place, as far along as another one. */
export function onStep(from: Pt, to: Pt): Pt {
    const [dx, dy] = [to[0] - from[0], to[1] - from[1]];
    const turn = inSteps(Math.atan2(dy, dx));
    const far = dx * Math.cos(turn) + dy * Math.sin(turn);
    return [from[0] + far * Math.cos(turn), from[1] + far * Math.sin(turn)];
}
