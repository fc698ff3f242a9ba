/** Arrow keys in a group of radio buttons: they choose the next or the previous one. */
const STEPS: Record<string, number> = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 };

export function radios(group: HTMLElement) {
    function step(e: KeyboardEvent) {
        const by = STEPS[e.key];
        const all = [...group.querySelectorAll<HTMLElement>('[role=radio]')];
        const here = all.indexOf(e.target as HTMLElement);
        if (by === undefined || here < 0) return;
        e.preventDefault();
        const next = all[(here + by + all.length) % all.length];
        next?.click();
        next?.focus();
    }
    group.addEventListener('keydown', step);
    return { destroy: () => group.removeEventListener('keydown', step) };
}
