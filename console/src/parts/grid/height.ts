export const rowHeight = 26;
export const headHeight = 42;

/** How high a grid with so many rows in sight is, in pixels, its scroll bar included. */
export const heightOf = (rows: number) => headHeight + rows * rowHeight + 16;
