//! OpenRaster in: what layers a file has, and one of them as a picture on white. Bounded in entries, bytes and pixels; no
//! entry is written anywhere.

use super::parts::{MERGED, MIMETYPE, STACK};
use crate::error::{Error, MOST_BYTES, MOST_PIXELS, MOST_SIDE};
use crate::raster_in::{self, Raster};
use rhizograph_core::raster::plane::Plane;
use std::io::{Cursor, Read};
use usvg::roxmltree::{Document, Node};
use zip::ZipArchive;

/// The most layers of one file.
const MOST_LAYERS: usize = 500;
/// The longest `stack.xml`, bytes.
const MOST_STACK: u64 = 4 << 20;
/// How deep groups may hold one another.
const DEEPEST: usize = 64;

/// A layer of a file.
#[derive(Debug, Clone, PartialEq)]
struct Entry {
    /// With the groups it is in before it, each behind a stroke.
    name: String,
    at: [i32; 2],
    /// Its entry in the ZIP.
    src: String,
}

fn damaged(why: impl std::fmt::Display) -> Error {
    Error::Damaged("OpenRaster", why.to_string())
}

/// Whether the bytes begin like an OpenRaster file.
pub fn looks_like_openraster(bytes: &[u8]) -> bool {
    // A ZIP's first entry: its name from byte 30 on, its contents right behind.
    bytes.starts_with(b"PK\x03\x04")
        && bytes.get(30..38) == Some(MIMETYPE.0.as_bytes())
        && bytes[..bytes.len().min(256)].windows(MIMETYPE.1.len()).any(|w| w == MIMETYPE.1.as_bytes())
}

type Archive<'a> = ZipArchive<Cursor<&'a [u8]>>;

fn entry(zip: &mut Archive, name: &str, most: u64) -> Result<Vec<u8>, Error> {
    let file = zip.by_name(name).map_err(|e| damaged(format!("{name}: {e}")))?;
    if file.size() > most {
        return Err(Error::TooLarge { has: file.size() as usize, most: most as usize });
    }
    let mut out = Vec::new();
    // What a ZIP says of a size need not be so.
    file.take(most + 1).read_to_end(&mut out).map_err(|e| damaged(format!("{name}: {e}")))?;
    if out.len() as u64 > most { Err(Error::TooLarge { has: out.len(), most: most as usize }) } else { Ok(out) }
}

/// What a file holds: its size and its layers, the topmost first.
struct Stack {
    size: [u32; 2],
    dpi: Option<f64>,
    layers: Vec<Entry>,
}

fn stack(zip: &mut Archive) -> Result<Stack, Error> {
    let text = String::from_utf8(entry(zip, STACK, MOST_STACK)?).map_err(damaged)?;
    let doc = Document::parse(&text).map_err(damaged)?;
    let image = doc.root_element();
    let number = |n: Node, name: &str| n.attribute(name).and_then(|v| v.parse::<f64>().ok()).filter(|v| v.is_finite());
    let side = |name| number(image, name).filter(|v| (1.0..=1e6).contains(v)).ok_or_else(|| damaged("it has no size"));
    let (w, h) = (side("w")? as u32, side("h")? as u32);
    if w > MOST_SIDE || h > MOST_SIDE || u64::from(w) * u64::from(h) > MOST_PIXELS {
        return Err(Error::TooManyPixels(w, h));
    }
    let mut layers = Vec::new();
    let place = |n: Node, name| number(n, name).unwrap_or(0.0).clamp(-1e6, 1e6) as i32;
    for node in image.descendants().filter(|n| n.has_tag_name("layer")) {
        let groups: Vec<Node> = node.ancestors().skip(1).filter(|a| a.has_tag_name("stack")).collect();
        if groups.len() > DEEPEST || layers.len() == MOST_LAYERS {
            return Err(Error::TooMuch(format!("it has more than {MOST_LAYERS} layers, or groups too deep")));
        }
        let names = groups.iter().rev().chain([&node]).filter_map(|n| n.attribute("name"));
        layers.push(Entry {
            name: names.collect::<Vec<_>>().join(" / ").chars().take(120).collect(),
            // Where a group lies its layers lie.
            at: ["x", "y"].map(|axis| place(node, axis) + groups.iter().map(|g| place(*g, axis)).sum::<i32>()),
            src: node.attribute("src").unwrap_or_default().to_owned(),
        });
    }
    Ok(Stack { size: [w, h], dpi: number(image, "xres").filter(|v| *v > 1.0), layers })
}

fn open(bytes: &[u8]) -> Result<Archive<'_>, Error> {
    ZipArchive::new(Cursor::new(bytes)).map_err(damaged)
}

/// The layers of a file, the topmost first.
fn layers(bytes: &[u8]) -> Result<Vec<Entry>, Error> {
    Ok(stack(&mut open(bytes)?)?.layers)
}

/// One layer by its number from the topmost on, at its place on white. Errors: there is none; damage; too large.
fn layer(bytes: &[u8], number: usize) -> Result<Raster, Error> {
    let mut zip = open(bytes)?;
    let Stack { size: [w, h], dpi, layers } = stack(&mut zip)?;
    let found = layers.get(number).ok_or_else(|| damaged(format!("it has no layer {}", number + 1)))?;
    let png = entry(&mut zip, &found.src, MOST_BYTES as u64)?;
    let part = raster_in::read(&png, true)?;
    let mut rgb = Plane::new(w as usize, h as usize, [255u8; 3]);
    let [x0, y0] = found.at.map(i64::from);
    for (y, row) in part.rgb.data.chunks(part.rgb.width).enumerate() {
        let Some(to_y) = usize::try_from(y0 + y as i64).ok().filter(|v| *v < rgb.height) else { continue };
        for (x, &p) in row.iter().enumerate() {
            if let Some(to_x) = usize::try_from(x0 + x as i64).ok().filter(|v| *v < rgb.width) {
                rgb.set(to_x, to_y, p);
            }
        }
    }
    Ok(Raster { rgb, dpi, notes: part.notes })
}

/// The layer that is called ink, or where there is none the picture as it looks, with a note.
pub fn ink(bytes: &[u8]) -> Result<Raster, Error> {
    let layers = layers(bytes)?;
    let is_ink = |e: &Entry| e.name.rsplit(" / ").next().is_some_and(|n| n.eq_ignore_ascii_case("ink"));
    if let Some(number) = layers.iter().position(is_ink) {
        return layer(bytes, number);
    }
    let mut out = merged(bytes)?;
    out.notes.push(format!("none of its {} layers is called ink: the whole picture was taken", layers.len()));
    Ok(out)
}

/// The picture as it looks.
fn merged(bytes: &[u8]) -> Result<Raster, Error> {
    let mut zip = open(bytes)?;
    let Stack { dpi, .. } = stack(&mut zip)?;
    let png = entry(&mut zip, MERGED, MOST_BYTES as u64)?;
    Ok(Raster { dpi, ..raster_in::read(&png, true)? })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::openraster::{Leaf, Node, openraster};

    fn sample(name: &str) -> Vec<u8> {
        let mut pixels = Plane::new(9, 7, [0u8; 4]);
        pixels.set(2, 3, [10, 20, 30, 255]);
        let layer =
            |name: &str, at| Node::Layer(Box::new(Leaf { name: name.into(), shown: true, at, pixels: pixels.clone() }));
        let group = Node::Group { name: "Lines".into(), nodes: vec![layer(name, [20, 10])] };
        openraster(vec![layer("Wash", [0, 0]), group], &Plane::new(40, 30, [0, 0, 0, 255]), 240.0).unwrap()
    }

    #[test]
    fn the_ink_is_taken_at_its_place_and_without_one_the_whole_picture() {
        let file = sample("Ink");
        assert!(looks_like_openraster(&file));
        let names: Vec<String> = layers(&file).unwrap().into_iter().map(|l| l.name).collect();
        assert_eq!(names, ["Lines / Ink", "Wash"]);
        let found = ink(&file).unwrap();
        assert_eq!(((found.rgb.width, found.rgb.height), found.dpi), ((40, 30), Some(240.0)));
        assert_eq!((*found.rgb.at(22, 13), *found.rgb.at(2, 3)), ([10, 20, 30], [255; 3]));
        let whole = ink(&sample("Pencil")).unwrap();
        assert_eq!(*whole.rgb.at(0, 0), [0; 3]);
        assert!(whole.notes[0].contains("none of its 2 layers is called ink"));
    }

    #[test]
    fn damage_anywhere_is_told_and_breaks_nothing() {
        let file = sample("Ink");
        for n in 0..file.len() {
            let _ = ink(&file[..n]);
            let mut bent = file.clone();
            bent[n] ^= 0x55;
            let _ = ink(&bent);
        }
        assert!(ink(&file[..file.len() - 40]).is_err());
    }
}
