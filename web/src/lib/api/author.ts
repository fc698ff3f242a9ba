let known: string | undefined;

/** Who works here: undo takes back one's own steps. Kept with the page, so that it is the same after a reload. */
export function author(): string {
    known ??= localStorage.getItem('author') ?? crypto.randomUUID();
    localStorage.setItem('author', known);
    return known;
}
