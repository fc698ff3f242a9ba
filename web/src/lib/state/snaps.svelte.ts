/** What new ink catches at Draw, kept with the page. */
import { KeptWithPage } from './with_page.svelte';

const USUAL = { ends: true, lines: true, onward: true, level: true, guides: true, grid: true };

export const snaps = new KeptWithPage('snaps', USUAL);
