/** The trail of a stroke on the screen. */
import { along } from '../drawn/marks';
import type { InHand } from './tool';

interface Look {
    colour: string;
    width: number;
    opacity?: number;
    dash?: number[];
}

export function trail({ g, camera, stroke }: InHand, { colour, width, opacity = 1, dash = [] }: Look) {
    g.save();
    g.beginPath();
    along(
        g,
        stroke.map((p) => camera.toScreen(p)),
    );
    g.lineCap = 'round';
    g.lineJoin = 'round';
    g.globalAlpha = opacity;
    g.setLineDash(dash);
    [g.strokeStyle, g.lineWidth] = [colour, width];
    g.stroke();
    g.restore();
}

/** That of a tool that needs no look of its own. */
export const plain = (hand: InHand) => trail(hand, { colour: '#6A4A80', width: 5 });
