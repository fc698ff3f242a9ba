//! OpenRaster out.

use super::parts::{MERGED, MIMETYPE, STACK, THUMBNAIL};
use crate::error::Error;
use crate::raster_out;
use crate::svg::escape;
use rhizograph_core::raster::plane::Plane;
use std::fmt::Write as _;
use std::io::{Cursor, Write};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipWriter};

/// The longest side of the thumbnail, px.
const SMALL: usize = 256;

/// A layer: its pixels lie at a place of the picture.
pub struct Leaf {
    pub name: String,
    pub shown: bool,
    pub at: [usize; 2],
    pub pixels: Plane<[u8; 4]>,
}

/// What the stack holds, from the lowest to the topmost.
pub enum Node {
    Group { name: String, nodes: Vec<Node> },
    Layer(Box<Leaf>),
}

fn failed(e: impl std::fmt::Display) -> Error {
    Error::Write(e.to_string())
}

/// Puts layers into the ZIP and tells them, the topmost first.
fn put(
    nodes: Vec<Node>,
    zip: &mut ZipWriter<Cursor<Vec<u8>>>,
    how: SimpleFileOptions,
    (number, dpi): (&mut usize, f64),
) -> Result<String, Error> {
    let mut told = String::new();
    for node in nodes.into_iter().rev() {
        match node {
            Node::Group { name, nodes } => {
                let inner = put(nodes, zip, how, (&mut *number, dpi))?;
                let _ = write!(told, "<stack name=\"{}\" isolation=\"auto\">\n{inner}</stack>\n", escape(&name));
            }
            Node::Layer(leaf) => {
                let src = format!("data/layer{number}.png");
                *number += 1;
                zip.start_file(&src, how).map_err(failed)?;
                zip.write_all(&raster_out::rgba_png(&leaf.pixels, dpi)?).map_err(failed)?;
                let (name, [x, y]) = (escape(&leaf.name), leaf.at);
                let shown = if leaf.shown { "visible" } else { "hidden" };
                let _ = writeln!(
                    told,
                    "<layer name=\"{name}\" src=\"{src}\" x=\"{x}\" y=\"{y}\" opacity=\"1.0\" visibility=\"{shown}\" composite-op=\"svg:src-over\"/>"
                );
            }
        }
    }
    Ok(told)
}

/// The bytes of a file with these layers. `merged`: what is shown of them, as it looks.
pub fn openraster(nodes: Vec<Node>, merged: &Plane<[u8; 4]>, dpi: f64) -> Result<Vec<u8>, Error> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    // PNG is packed already; readers look for the first entry as it is.
    let how = SimpleFileOptions::default().compression_method(CompressionMethod::Stored);
    zip.start_file(MIMETYPE.0, how).map_err(failed)?;
    zip.write_all(MIMETYPE.1.as_bytes()).map_err(failed)?;
    let told = put(nodes, &mut zip, how, (&mut 0, dpi))?;
    let (w, h, resolution) = (merged.width, merged.height, dpi.round().max(1.0));
    let stack = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<image version=\"0.0.3\" w=\"{w}\" h=\"{h}\" xres=\"{resolution}\" yres=\"{resolution}\">\n<stack>\n{told}</stack>\n</image>\n"
    );
    let level = (0..).find(|l| w.max(h).div_ceil(1 << l) <= SMALL).unwrap_or(0);
    let entries = [
        (STACK, stack.into_bytes()),
        (MERGED, raster_out::rgba_png(merged, dpi)?),
        (THUMBNAIL, raster_out::rgba_png(&smaller(merged, level), dpi)?),
    ];
    for (name, bytes) in entries {
        zip.start_file(name, how).map_err(failed)?;
        zip.write_all(&bytes).map_err(failed)?;
    }
    Ok(zip.finish().map_err(failed)?.into_inner())
}

/// Every `2^level` pixels averaged into one, weighed with their alpha.
fn smaller(plane: &Plane<[u8; 4]>, level: u32) -> Plane<[u8; 4]> {
    let k = 1usize << level;
    let (w, h) = (plane.width.div_ceil(k), plane.height.div_ceil(k));
    let mut out = Plane::new(w, h, [0u8; 4]);
    for y in 0..h {
        for x in 0..w {
            let (mut sum, mut alpha, mut n) = ([0u32; 3], 0u32, 0u32);
            for v in y * k..(y * k + k).min(plane.height) {
                for p in &plane.row(v)[x * k..(x * k + k).min(plane.width)] {
                    let a = u32::from(p[3]);
                    (0..3).for_each(|c| sum[c] += u32::from(p[c]) * a);
                    alpha += a;
                    n += 1;
                }
            }
            if alpha > 0 {
                let [r, g, b] = sum.map(|s| ((s + alpha / 2) / alpha) as u8);
                out.set(x, y, [r, g, b, ((alpha + n / 2) / n) as u8]);
            }
        }
    }
    out
}
