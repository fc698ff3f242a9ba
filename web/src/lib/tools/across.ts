/** What is drawn from one place of the sheet to another as it is laid out. */
import type { Pt } from '../types/Pt';
import type { InHand } from './tool';

type G = CanvasRenderingContext2D;

/** The two ends of the stroke, on the screen. */
function ends({ stroke, camera }: InHand): [Pt, Pt] | null {
    const [from, to] = [stroke[0], stroke[stroke.length - 1]];
    return from && to ? [camera.toScreen(from), camera.toScreen(to)] : null;
}

/** A line with a mark at each of its ends. */
export function betweenMarks(hand: InHand) {
    const both = ends(hand);
    if (!both) return;
    const { g } = hand;
    g.save();
    for (const [colour, width] of [
        ['#ffffff', 4],
        ['#2f5d50', 2],
    ] as const) {
        g.strokeStyle = colour;
        g.lineWidth = width;
        g.beginPath();
        g.moveTo(...both[0]);
        g.lineTo(...both[1]);
        g.stroke();
    }
    for (const [x, y] of both) mark(g, x, y);
    g.restore();
}

/** A mark for registering: a cross in a ring. */
function mark(g: G, x: number, y: number) {
    g.strokeStyle = '#2a2822';
    g.lineWidth = 1.5;
    g.beginPath();
    g.arc(x, y, 8, 0, 7);
    g.moveTo(x - 13, y);
    g.lineTo(x + 13, y);
    g.moveTo(x, y - 13);
    g.lineTo(x, y + 13);
    g.stroke();
}
