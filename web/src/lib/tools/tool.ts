/** What a tool is: its words, its pointer, what its stroke does and how it looks on the way. */
import type { Component } from 'svelte';
import type { Camera } from '../geometry/camera.svelte';
import type { ToolId } from '../state/bench.svelte';
import type { Pt } from '../types/Pt';
import type { Sample } from '../types/Sample';

/** The keys that are held meanwhile: Shift, Alt. */
export interface How {
    inSteps: boolean;
    fromCentre: boolean;
}

/** A stroke that was let go, in sheet pixels. */
export interface Stroke {
    path: Pt[];
    /** The same as the device told it: with pressure, tilt and time. */
    samples: Sample[];
    from: Pt;
    to: Pt;
    /** It was let go where it began. */
    still: boolean;
    how: How;
}

/** What a tool may draw on while it is in hand. Its context is laid to the screen. */
export interface InHand {
    g: CanvasRenderingContext2D;
    camera: Camera;
    /** The stroke so far, in sheet pixels. */
    stroke: Pt[];
    /** The same as the device told it. */
    samples: Sample[];
    /** What is foreseen of it. */
    ahead: Sample[];
    how: How;
    /** Where the pointer is, on the screen. */
    hover: Pt | null;
    /** Draws something with the context laid to the sheet. */
    onSheet: (draw: () => void) => void;
}

export interface Tool {
    id: ToolId;
    name: string;
    help: string;
    icon: Component<{ size?: number }>;
    cursor: 'grab' | 'copy' | 'pointer' | 'crosshair';
    /** It pans: a click takes what lies there in hand. */
    pans?: boolean;
    /** Places that can be dragged, in sheet pixels, and how one is moved. */
    handles?: { at: () => Pt[]; move: (n: number, to: Pt) => void };
    /**
     * What the stroke is while Shift or Alt is held, or once a tool that straightens was held still: from where it began to
     * where the pointer is.
     */
    held?: (start: Pt, here: Pt, how: How) => Pt[];
    /** Held still, its stroke becomes straight. */
    straightens?: boolean;
    /** What it draws follows the pointer without a stroke, too. */
    follows?: boolean;
    /** It draws something without a pointer, too. */
    always?: () => boolean;
    /** What was drawn stays in sight by the tool's own doing until it is there. */
    keepsWet?: boolean;
    /** What is asked while the stroke grows. */
    grows?: (stroke: Pt[], samples: Sample[], how: How) => void;
    /** The stroke was given up. */
    gaveUp?: () => void;
    use?: (stroke: Stroke) => unknown;
    draw?: (hand: InHand) => void;
    /** What of the screen is drawn on, besides the stroke: all of it, or so far around the pointer, or places. */
    drawsOn?: () => 'all' | { around?: number; places?: Pt[] } | null;
}
