/** The charts that can lie with a drawing: fields of 12 or 16, or a square grid. */
export type Chart = 'none' | '12' | '16' | 'grid';
