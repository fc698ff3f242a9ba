//! Vector art opened: its text bounded and parsed, and what it draws, with nothing looked at but the file itself.

use super::bounds;
use super::kept::Kept;
use super::lettering;
use super::text::{MOST_TEXT, text_of};
use crate::error::{Error, MOST_PIXELS, MOST_SIDE};
use std::sync::Arc;
use usvg::roxmltree::{Document, ParsingOptions};
use usvg::tiny_skia_path::Transform;
use usvg::{ImageHrefResolver, ImageKind, Options};

/// The most nodes of a document.
const MOST_NODES: u32 = 1_000_000;
/// Nothing lies farther off or is broader, px: a curve is followed to a part of a pixel all along.
pub const FARTHEST: f64 = 1e6;
/// How much stack reading may take: things hold one another some hundred deep.
const STACK: usize = 64 << 20;

/// A document of vector art with what is drawn of it.
pub struct Opened<'a> {
    pub doc: &'a Document<'a>,
    pub tree: &'a usvg::Tree,
}

/// Opens vector art and does something with it. Errors: as for reading it.
pub fn opened<T: Send>(bytes: &[u8], f: impl FnOnce(Opened<'_>) -> Result<T, Error> + Send) -> Result<T, Error> {
    if bytes.len() > MOST_TEXT {
        return Err(Error::TooLarge { has: bytes.len(), most: MOST_TEXT });
    }
    let text = text_of(bytes).ok_or_else(|| Error::Damaged("SVG", "it is no text in UTF-8 or UTF-16".into()))?;
    bounds::check_text(&text)?;
    std::thread::scope(|scope| {
        let reading = std::thread::Builder::new().stack_size(STACK).spawn_scoped(scope, || with_tree(&text, f));
        let reading = reading.map_err(|e| Error::TooMuch(e.to_string()))?;
        // The reader itself breaks off at some numbers that no drawing has.
        reading.join().unwrap_or_else(|_| Err(cannot_be_drawn()))
    })
}

/// The error of numbers that no drawing has.
pub fn cannot_be_drawn() -> Error {
    Error::Damaged("SVG", "it holds numbers that cannot be drawn".into())
}

fn with_tree<T>(text: &str, f: impl FnOnce(Opened<'_>) -> Result<T, Error>) -> Result<T, Error> {
    let damaged = |why: String| Error::Damaged("SVG", why);
    let how = ParsingOptions { allow_dtd: true, nodes_limit: MOST_NODES, ..ParsingOptions::default() };
    let doc = Document::parse_with_options(text, how).map_err(|e| damaged(e.to_string()))?;
    bounds::check(&doc)?;
    // Nothing but what the file itself holds is looked at.
    let of_file = ImageHrefResolver { resolve_data: Box::new(within), resolve_string: Box::new(|_, _| None) };
    let fontdb = if has_text(&doc) { lettering::types() } else { Arc::default() };
    let options = usvg::Options { image_href_resolver: of_file, fontdb, ..usvg::Options::default() };
    let tree = usvg::Tree::from_xmltree(&doc, &options).map_err(|e| damaged(e.to_string()))?;
    f(Opened { doc: &doc, tree: &tree })
}

fn has_text(doc: &Document) -> bool {
    doc.descendants().any(|n| n.tag_name().name() == "text")
}

/// The size of the sheet that vector art comes in on, px, and how many of its pixels a user unit is.
pub fn sheet_of(art: &Opened, kept: &Kept) -> Result<([f64; 2], Transform, f64), Error> {
    let ([w, h], scale) = measure(art.doc, art.tree, kept);
    if w > f64::from(MOST_SIDE) || h > f64::from(MOST_SIDE) || w * h > MOST_PIXELS as f64 {
        return Err(Error::TooManyPixels(w as u32, h as u32));
    }
    Ok(([w, h], Transform::from_scale(scale as f32, scale as f32), scale))
}

/// What a file holds of a picture itself: PNG and JPEG, unread.
fn within(mime: &str, data: Arc<Vec<u8>>, _: &Options) -> Option<ImageKind> {
    match mime {
        "image/png" => Some(ImageKind::PNG(data)),
        "image/jpeg" | "image/jpg" => Some(ImageKind::JPEG(data)),
        _ => None,
    }
}

/// The resolution at which a file with lengths in mm or inches comes in.
pub const USUAL_DPI: f64 = 300.0;
/// What user units of SVG are.
const UNITS_AN_INCH: f64 = 96.0;

/// Width and height of the sheet, and how many of its pixels a user unit is.
fn measure(doc: &Document, tree: &usvg::Tree, kept: &Kept) -> ([f64; 2], f64) {
    let (w, h) = (f64::from(tree.size().width()), f64::from(tree.size().height()));
    let whole = |v: f64| if (v - v.round()).abs() < 0.01 { v.round() } else { v.ceil() };
    if let Some(k) = &kept.whole {
        let scale = k.part[2] as f64 / w;
        if (k.part[3] as f64 / h / scale - 1.0).abs() < 1e-3 {
            return ([k.part[2] as f64, k.part[3] as f64], scale);
        }
    }
    let width = doc.root_element().attribute("width").unwrap_or("").trim().to_ascii_lowercase();
    let is_length = ["mm", "cm", "in", "pt", "pc", "q"].iter().any(|u| width.ends_with(u));
    let scale = if is_length { USUAL_DPI / UNITS_AN_INCH } else { 1.0 };
    ([whole(w * scale), whole(h * scale)], scale)
}
