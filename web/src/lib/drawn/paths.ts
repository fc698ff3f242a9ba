/** Paths of lines and regions: made when they are first drawn, kept as long as what they are of. */
const paths = new WeakMap<Shape, Path2D>();

interface Shape {
    path: string;
}

export function pathOf(shape: Shape): Path2D {
    let path = paths.get(shape);
    if (!path) paths.set(shape, (path = new Path2D(shape.path)));
    return path;
}
