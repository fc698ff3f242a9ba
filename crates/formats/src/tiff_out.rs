//! TIFF out: layers as pages with their names, 8 or 16 bits of red, green, blue and alpha a sample, packed without loss.

use crate::error::Error;
use rhizograph_core::raster::plane::Plane;
use serde::{Deserialize, Serialize};
use std::io::Cursor;
use tiff::encoder::colortype::{ColorType, RGBA8, RGBA16};
use tiff::encoder::{Compression, DeflateLevel, Predictor, Rational, TiffEncoder, TiffValue};
use tiff::tags::{ResolutionUnit, Tag};
use ts_rs::TS;

/// How a TIFF is packed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Packing {
    #[default]
    Lzw,
    Deflate,
}

/// Bits of each sample.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Depth {
    #[default]
    Eight,
    Sixteen,
}

/// The program that wrote it.
const SOFTWARE: &str = "Rhizograph";

fn failed(e: impl std::fmt::Display) -> Error {
    Error::Write(e.to_string())
}

type Encoder<'a> = TiffEncoder<Cursor<&'a mut Vec<u8>>>;

/// The bytes of a TIFF with a page for each layer, which are asked for one after the other. Errors: a page that could not
/// be made; more than fits into a TIFF.
pub fn tiff(
    dpi: f64,
    packing: Packing,
    depth: Depth,
    pages: impl Iterator<Item = Result<(String, Plane<[u8; 4]>), Error>>,
) -> Result<Vec<u8>, Error> {
    let packing = match packing {
        Packing::Lzw => Compression::Lzw,
        Packing::Deflate => Compression::Deflate(DeflateLevel::Fast),
    };
    let mut out = Vec::new();
    let to = TiffEncoder::new(Cursor::new(&mut out)).map_err(failed)?;
    let mut to = to.with_compression(packing).with_predictor(Predictor::Horizontal);
    for page in pages {
        let (name, pixels) = page?;
        let samples = pixels.data.as_flattened();
        match depth {
            Depth::Eight => add::<RGBA8>(&mut to, &name, &pixels, samples, dpi)?,
            Depth::Sixteen => {
                let wide: Vec<u16> = samples.iter().map(|&v| u16::from(v) * 257).collect();
                add::<RGBA16>(&mut to, &name, &pixels, &wide, dpi)?;
            }
        }
    }
    Ok(out)
}

fn add<C: ColorType>(
    to: &mut Encoder,
    name: &str,
    pixels: &Plane<[u8; 4]>,
    samples: &[C::Inner],
    dpi: f64,
) -> Result<(), Error>
where
    [C::Inner]: TiffValue,
{
    let mut page = to.new_image::<C>(pixels.width as u32, pixels.height as u32).map_err(failed)?;
    page.resolution(ResolutionUnit::Inch, Rational { n: (dpi * 1000.0).round() as u32, d: 1000 });
    let ascii: String = name.chars().filter(char::is_ascii).collect();
    let tags = page.encoder();
    tags.write_tag(Tag::ExtraSamples, UNASSOCIATED).map_err(failed)?;
    tags.write_tag(Tag::Unknown(PAGE_NAME), ascii.as_str()).map_err(failed)?;
    tags.write_tag(Tag::Software, SOFTWARE).map_err(failed)?;
    page.write_data(samples).map_err(failed)
}

/// Of the samples beyond the colours: alpha that the colours are not multiplied by.
const UNASSOCIATED: u16 = 2;
/// The tag that names a page.
pub const PAGE_NAME: u16 = 285;
