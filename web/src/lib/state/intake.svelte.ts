/** How the sheet is laid out of its original; every change is a step of its own. */
import * as api from '../api';
import type { IntakeRecipe } from '../types/IntakeRecipe';
import type { Pt } from '../types/Pt';
import { bench } from './bench.svelte';
import { tell, tellError } from './notices.svelte';
import { sheet } from './sheet.svelte';

class Intake {
    set(change: Partial<IntakeRecipe>) {
        const view = sheet.view;
        if (!view) return Promise.resolve(false);
        return sheet.do({ of: 'intake', do: 'intake', intake: { ...view.recipes.intake, ...change } });
    }

    /** A quarter turn clockwise; what was measured on the sheet before it is set anew. */
    turn() {
        const now = sheet.view?.recipes.intake;
        if (!now) return Promise.resolve(false);
        return this.set({ quarter_turns: (now.quarter_turns + 1) % 4, register: null, crop: null });
    }

    /** Turns the sheet so that a line drawn on it is level, or upright if it is nearer to that. */
    level(from: Pt, to: Pt) {
        const now = sheet.view?.recipes.intake;
        if (!now) return Promise.resolve(false);
        let angle = (Math.atan2(to[1] - from[1], to[0] - from[0]) * 180) / Math.PI;
        angle = ((((angle + 45) % 90) + 90) % 90) - 45;
        const straighten = Math.max(-45, Math.min(45, Math.round((now.straighten - angle) * 100) / 100));
        if (now.register)
            tell('Straightened by hand', 'The sheet is not lined up by its marks any more. Undo brings that back.');
        return this.set({ straighten, register: null });
    }

    crop(from: Pt, to: Pt) {
        const view = sheet.view;
        if (!view) return Promise.resolve(false);
        const [ox, oy] = view.recipes.intake.crop ?? [0, 0];
        const clamp = (v: number, most: number) => Math.round(Math.min(most, Math.max(0, v)));
        const [x0, x1] = [clamp(Math.min(from[0], to[0]), view.width), clamp(Math.max(from[0], to[0]), view.width)];
        const [y0, y1] = [clamp(Math.min(from[1], to[1]), view.height), clamp(Math.max(from[1], to[1]), view.height)];
        if (x1 - x0 < 8 || y1 - y0 < 8) return Promise.resolve(false);
        return this.set({ crop: [ox + x0, oy + y0, x1 - x0, y1 - y0] });
    }

    /** Takes the four corners in hand: those that are set, else those that are found, else the picture's own. */
    async takeCorners() {
        const view = sheet.view;
        if (!view) return;
        bench.tool = 'corners';
        const [w, h] = view.original;
        const inset = 0.04;
        const own: Pt[] = [
            [inset * w, inset * h],
            [(1 - inset) * w, inset * h],
            [(1 - inset) * w, (1 - inset) * h],
            [inset * w, (1 - inset) * h],
        ];
        const set = view.recipes.intake.corners;
        bench.corners = set ?? own;
        if (set) return;
        try {
            const found = await api.findCorners(view.info.id);
            // Handles that were moved or put down meanwhile stay as they are.
            if (found && JSON.stringify(bench.corners) === JSON.stringify(own)) bench.corners = found;
        } catch (e) {
            tellError(e);
        }
    }

    async squareUp() {
        const [a, b, c, d] = bench.corners ?? [];
        if (!a || !b || !c || !d) return;
        const done = await this.set({ corners: [a, b, c, d], register: null, crop: null });
        if (done) {
            bench.corners = null;
            bench.tool = 'look';
        }
    }
}

export const intake = new Intake();
