/** The charts that can lie with a drawing: fields of 12 or 16, or a square grid. */
export type Chart = 'none' | '12' | '16' | 'grid';

/** A square of the grid, mm. */
export const SQUARE = 10;
/** The same, px of a sheet. */
export const squareOf = (dpi: number) => (SQUARE / 25.4) * dpi;
