/** What is drawn over the sheet for the work at each station. */
import { bench } from '../state/bench.svelte';
import { held } from '../state/held.svelte';
import { settings } from '../state/inking.svelte';
import { probe } from '../state/probe.svelte';
import type { Shown } from '../state/shown';
import { drawChart } from '../drawn/chart';
import { drawGuides } from './guides';
import * as overlays from '../drawn/overlays';
import { pathOf } from '../drawn/paths';

type G = CanvasRenderingContext2D;

/** The lines a trace in hand gives, as paths. */
export interface Middle {
    solid: boolean;
    path: Path2D;
}

/** `onSheet` puts a context on the sheet. */
export function drawAtStation(g: G, view: Shown, middles: Middle[], onSheet: (g: G) => void) {
    const { camera } = bench;
    const size: [number, number] = [view.width, view.height];
    const placed = (draw: () => void) => {
        g.save();
        onSheet(g);
        draw();
        g.restore();
    };
    if (bench.station === 'lift') {
        if (bench.showArea && bench.tool === 'touch') {
            overlays.areas(g, onSheet, view.by_hand, ['more', 'less', 'none', 'erase'], size);
        }
        const { facts, trade, watched } = settings;
        if (watched === 'points' && trade) overlays.tradeMarks(g, camera, trade.lost, trade.left);
        if (watched === 'specks' && facts) overlays.dots(g, camera, facts.specks, 'going');
        if (watched === 'pinholes' && facts) overlays.dots(g, camera, facts.pinholes, 'going');
        if (bench.tool === 'protect') overlays.dots(g, camera, view.by_hand.protected, 'protected');
    } else if (bench.station === 'weight') {
        if (bench.showArea && bench.tool === 'area') overlays.areas(g, onSheet, view.by_hand, ['weight'], size);
        const chosen = bench.chosen.map((id) => view.lines.get(id)).filter((l) => l !== undefined);
        if (chosen.length > 0) placed(() => overlays.inHand(g, chosen.map(pathOf), camera.scale));
    } else if (bench.station === 'draw') {
        placed(() => drawChart(g, bench.chart, size, view.dpi, camera, bench.chartUnder));
        drawGuides(g);
        // Whatever tool is in hand: it works on these alone.
        const lines = bench.tool === 'hold' || bench.tool === 'points' ? [] : held.lines;
        if (lines.length > 0) placed(() => overlays.inHand(g, lines.map(pathOf), camera.scale));
    } else if (bench.station === 'trace') {
        if (bench.showMiddles && settings.traced) placed(() => overlays.middles(g, middles, camera.scale));
    } else if (bench.station === 'join') {
        const { leak, span } = probe;
        if (leak?.leak) overlays.leakWay(g, camera, leak.leak);
        if (span) placed(() => overlays.inHand(g, [new Path2D(span.path)], camera.scale));
    }
}
