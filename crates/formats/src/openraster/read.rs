//! OpenRaster in: what layers a file has, and some of them as a picture on white. Bounded in entries, bytes and pixels; no
//! entry is written anywhere.

use super::parts::{MERGED, MIMETYPE, STACK};
use crate::error::{Error, MOST_BYTES, MOST_PIXELS, MOST_SIDE};
use crate::raster_in::{Raster, over, read_rgba};
use crate::resolution;
use image::ImageFormat;
use rhizograph_core::model::recipe::FileLayer;
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

/// The names of a file's layers, the topmost first, each with the groups it is in.
pub fn layers(bytes: &[u8]) -> Result<Vec<String>, Error> {
    Ok(stack(&mut open(bytes)?)?.layers.into_iter().map(|l| l.name).collect())
}

/// Layers on one another in the file's order, each in full strength; all of them as the file looks; or without a choice the
/// layer that is called ink, and where there is none all of them, with a note. What is see-through is white. Errors: there is
/// no such layer; damage; too large.
pub fn read(bytes: &[u8], layer: Option<&FileLayer>) -> Result<Raster, Error> {
    let mut zip = open(bytes)?;
    let Stack { size, dpi, layers } = stack(&mut zip)?;
    let is_ink = |e: &Entry| e.name.rsplit(" / ").next().is_some_and(|n| n.eq_ignore_ascii_case("ink"));
    let (found, note) = match layer {
        Some(FileLayer::Whole) => (None, None),
        Some(FileLayer::Numbers(numbers)) => {
            // The lowest first; one that is told twice lies there once.
            let mut numbers = numbers.clone();
            numbers.sort_unstable_by(|a, b| b.cmp(a));
            numbers.dedup();
            let of = |n: &u32| {
                layers.get(*n as usize).ok_or_else(|| damaged(format!("it has no layer {}", u64::from(*n) + 1)))
            };
            (Some(numbers.iter().map(of).collect::<Result<Vec<_>, _>>()?), None)
        }
        None => match layers.iter().find(|l| is_ink(l)) {
            Some(found) => (Some(vec![found]), None),
            None => {
                let of = layers.len();
                (None, Some(format!("none of its {of} layers is called ink: the whole picture was taken")))
            }
        },
    };
    let mut rgb = Plane::new(size[0] as usize, size[1] as usize, [255u8; 3]);
    let mut notes: Vec<String> = note.into_iter().collect();
    let mut lay = |zip: &mut Archive, src: &str, at: [i32; 2]| {
        let png = entry(zip, src, MOST_BYTES as u64)?;
        let (part, told) = read_rgba(&png)?;
        notes.extend(told);
        for (y, row) in part.data.chunks(part.width).enumerate() {
            let to_y = i64::from(at[1]) + y as i64;
            let Some(to_y) = usize::try_from(to_y).ok().filter(|v| *v < rgb.height) else { continue };
            for (x, &[r, g, b, a]) in row.iter().enumerate() {
                let to_x = i64::from(at[0]) + x as i64;
                if let Some(to_x) = usize::try_from(to_x).ok().filter(|v| *v < rgb.width) {
                    rgb.set(to_x, to_y, over(*rgb.at(to_x, to_y), [r, g, b], a));
                }
            }
        }
        Ok::<_, Error>(resolution::read(&png, ImageFormat::Png))
    };
    // A layer's own resolution says nothing of the whole.
    let dpi = match found {
        None => {
            let own = lay(&mut zip, MERGED, [0; 2])?;
            dpi.or(own)
        }
        Some(found) => {
            found.into_iter().try_for_each(|l| lay(&mut zip, &l.src, l.at).map(|_| ()))?;
            dpi
        }
    };
    Ok(Raster { rgb, dpi, notes })
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
        assert_eq!(layers(&file).unwrap(), ["Lines / Ink", "Wash"]);
        let found = read(&file, None).unwrap();
        assert_eq!(((found.rgb.width, found.rgb.height), found.dpi), ((40, 30), Some(240.0)));
        assert_eq!((*found.rgb.at(22, 13), *found.rgb.at(2, 3)), ([10, 20, 30], [255; 3]));
        let whole = read(&sample("Pencil"), None).unwrap();
        assert_eq!(*whole.rgb.at(0, 0), [0; 3]);
        assert!(whole.notes[0].contains("none of its 2 layers is called ink"));
    }

    #[test]
    fn any_layer_or_all_of_them_can_be_chosen() {
        let file = sample("Ink");
        let chosen = |layer: FileLayer| read(&file, Some(&layer)).unwrap().rgb;
        assert_eq!(chosen(FileLayer::Numbers(vec![0])), read(&file, None).unwrap().rgb);
        let wash = chosen(FileLayer::Numbers(vec![1]));
        assert_eq!((*wash.at(2, 3), *wash.at(22, 13)), ([10, 20, 30], [255; 3]));
        assert_eq!(*chosen(FileLayer::Whole).at(5, 5), [0; 3]);
        let both = chosen(FileLayer::Numbers(vec![1, 0, 1]));
        assert_eq!((*both.at(2, 3), *both.at(22, 13), *both.at(5, 5)), ([10, 20, 30], [10, 20, 30], [255; 3]));
        let refused = read(&file, Some(&FileLayer::Numbers(vec![0, 2]))).unwrap_err();
        assert!(refused.to_string().contains("no layer 3"), "{refused}");
    }

    #[test]
    fn damage_anywhere_is_told_and_breaks_nothing() {
        let file = sample("Ink");
        for n in 0..file.len() {
            let _ = (read(&file[..n], None), layers(&file[..n]));
            let mut bent = file.clone();
            bent[n] ^= 0x55;
            let _ = read(&bent, None);
        }
        assert!(read(&file[..file.len() - 40], None).is_err());
    }
}
