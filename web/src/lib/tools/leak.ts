/** Where paint runs out. */
import Droplets from '@lucide/svelte/icons/droplets';
import { probe } from '../state/probe.svelte';
import type { Tool } from './tool';
import { plain } from './trail';

export const leak: Tool = {
    id: 'leak',
    name: 'Leak test',
    help: 'Click where paint does not hold: the way it runs out is shown',
    icon: Droplets,
    cursor: 'crosshair',
    use: ({ to }) => probe.testLeak(to),
    draw: plain,
};
