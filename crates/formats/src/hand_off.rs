//! Files of a drawing that leaves: each format from the same layers.

use crate::error::Error;
use crate::openraster::{self, Leaf, Node};
use crate::svg::{Art, Fill, Remark, svg};
use crate::tiff_out::{Depth, Packing, tiff};
use crate::{drawing_json, raster_out};
use rhizograph_core::handoff::{HandOff, Layer, paint_name};
use rhizograph_core::model::line::Line;
use rhizograph_core::model::paint::{Drop, colour_of};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use ts_rs::TS;

/// What a drawing goes out as.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Format {
    /// Ink over paint in one PNG.
    Flat,
    InkPng,
    PaintPng,
    /// A PNG for each layer.
    LayerPngs,
    Tiff,
    OpenRaster,
    Svg,
    Json,
}

/// All of them, in the order they are listed.
pub const FORMATS: [Format; 8] = [
    Format::Flat,
    Format::InkPng,
    Format::PaintPng,
    Format::LayerPngs,
    Format::Tiff,
    Format::OpenRaster,
    Format::Svg,
    Format::Json,
];

/// How files are packed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(default)]
pub struct Packed {
    pub tiff: Packing,
    pub depth: Depth,
}

/// A file that was made.
pub struct Made {
    /// What of the drawing it holds.
    pub layer: String,
    /// What its name ends in.
    pub ending: &'static str,
    pub bytes: Vec<u8>,
}

impl Format {
    /// What of the drawing a file holds, and what its name ends in; of a PNG for each layer they are told by the layers.
    pub fn name(self) -> (&'static str, &'static str) {
        match self {
            Format::Flat => ("flat", "png"),
            Format::InkPng => ("ink", "png"),
            Format::PaintPng => ("paint", "png"),
            Format::LayerPngs => ("", "png"),
            Format::Tiff => ("layers", "tiff"),
            Format::OpenRaster => ("layers", "ora"),
            Format::Svg => ("drawing", "svg"),
            Format::Json => ("drawing", "json"),
        }
    }

    /// The files of a drawing in this format.
    pub fn files(self, of: &HandOff, packed: Packed) -> Result<Vec<Made>, Error> {
        let (layer, ending) = self.name();
        let one = |bytes| Ok(vec![Made { layer: layer.to_owned(), ending, bytes }]);
        match self {
            Format::Flat => one(raster_out::rgba_png(&of.composed()?, of.dpi())?),
            Format::InkPng => one(raster_out::rgba_png(of.all_ink()?, of.dpi())?),
            Format::PaintPng => one(raster_out::rgba_png(&of.all_paint(), of.dpi())?),
            Format::LayerPngs => of
                .layers()
                .map(|l| {
                    let bytes = raster_out::rgba_png(&of.whole(&l.what)?, of.dpi())?;
                    Ok(Made { layer: l.name.clone(), ending, bytes })
                })
                .collect(),
            Format::Tiff => {
                let flat = std::iter::once_with(|| Ok((COMPOSED.to_owned(), of.composed()?)));
                let layers = of.layers().map(|l| Ok((l.name.clone(), of.whole(&l.what)?)));
                one(tiff(of.dpi(), packed.tiff, packed.depth, flat.chain(layers))?)
            }
            Format::OpenRaster => one(openraster_of(of)?),
            Format::Svg => one(svg_of(of).into_bytes()),
            Format::Json => one(drawing_json::document(of)?.into_bytes()),
        }
    }
}

/// The page that shows the drawing as it looks.
const COMPOSED: &str = "Drawing";

fn openraster_of(of: &HandOff) -> Result<Vec<u8>, Error> {
    let leaf = |layer: &Layer| {
        let Some(picture) = of.pixels(layer)? else { return Ok(None) };
        let leaf = Leaf { name: layer.name.clone(), shown: layer.shown, at: picture.at, pixels: picture.pixels };
        Ok(Some(Node::Layer(Box::new(leaf))))
    };
    let mut nodes = Vec::new();
    if let Some([r, g, b]) = of.leaving.backdrop {
        let [w, h] = of.size();
        let pixels = rhizograph_core::raster::plane::Plane::new(w, h, [r, g, b, 255]);
        nodes.push(Node::Layer(Box::new(Leaf { name: "Backdrop".into(), shown: true, at: [0, 0], pixels })));
    }
    for group in &of.groups {
        let leaves: Vec<Option<Node>> = group.layers.iter().map(leaf).collect::<Result<_, Error>>()?;
        let mut inner: Vec<Node> = leaves.into_iter().flatten().collect();
        match (inner.len(), inner.pop()) {
            (_, None) => {}
            (1, Some(node)) => nodes.push(node),
            (_, Some(node)) => {
                inner.push(node);
                nodes.push(Node::Group { name: group.name.to_owned(), nodes: inner });
            }
        }
    }
    openraster::openraster(nodes, &of.composed()?, of.dpi())
}

fn svg_of(of: &HandOff) -> String {
    let mut drops: HashMap<u32, Vec<Drop>> = HashMap::new();
    for drop in of.sheet.drops.iter().map(|d| &d.it) {
        if let Some(region) = of.scene.regions.at(drop.at) {
            drops.entry(region.id).or_default().push(drop.clone());
        }
    }
    let mut fills: Vec<Fill> = of
        .scene
        .regions
        .iter()
        .filter_map(|r| {
            let paint = of.scene.fill(r.id)?;
            let colour = colour_of(&of.colours.swatches, paint)?;
            Some(Fill {
                paint,
                name: paint_name(of.colours, paint),
                colour,
                rings: &r.rings,
                drops: drops.remove(&r.id).unwrap_or_default(),
            })
        })
        .collect();
    fills.sort_by(|a, b| a.paint.cmp(b.paint));
    let ink = |line: &Line| of.colour_of(line);
    svg(&Art {
        size: [of.sheet.width, of.sheet.height],
        part: of.part(),
        dpi: of.sheet.dpi,
        colours: of.colours,
        backdrop: of.leaving.backdrop,
        fills,
        lines: &of.sheet.lines,
        ink: &ink,
        remarks: of.notes.iter().map(|n| Remark { at: n.at, says: n.says, colour: n.colour() }).collect(),
        chart: of.chart_lines().cloned().collect(),
    })
}
