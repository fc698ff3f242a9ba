//! TIFF out: layers as pages with their names, 8 or 16 bits of red, green, blue and alpha a sample, packed without loss.

use crate::error::Error;
use rhizograph_core::raster::plane::Plane;
use serde::{Deserialize, Serialize};
use std::io::Cursor;
use tiff::encoder::{Rational, TiffEncoder};
use tiff::tags::{ResolutionUnit, Tag};
use ts_rs::TS;

/// How a TIFF is packed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Packing {
    Lzw,
    #[default]
    Deflate,
}

impl Packing {
    fn code(self) -> u16 {
        match self {
            Packing::Lzw => 5,
            Packing::Deflate => 8,
        }
    }
}

/// Bits of each sample.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Depth {
    #[default]
    Eight,
    Sixteen,
}

impl Depth {
    fn bytes(self) -> usize {
        match self {
            Depth::Eight => 1,
            Depth::Sixteen => 2,
        }
    }
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
    let mut out = Vec::new();
    let mut to = TiffEncoder::new(Cursor::new(&mut out)).map_err(failed)?;
    for page in pages {
        let (name, pixels) = page?;
        add(&mut to, &name, &pixels, dpi, Packer { packing, depth, bare: None })?;
    }
    Ok(out)
}

/// Packs strips; one that is bare is packed once for all that are as large.
struct Packer {
    packing: Packing,
    depth: Depth,
    bare: Option<(usize, Vec<u8>)>,
}

impl Packer {
    /// The rows of a strip, each as the differences of its samples from those of the pixel before, packed.
    fn packed(&mut self, rows: &[[u8; 4]], width: usize) -> Result<Vec<u8>, Error> {
        let is_bare = rows.iter().all(|p| *p == [0; 4]);
        if let Some((_, bytes)) = self.bare.as_ref().filter(|b| is_bare && b.0 == rows.len()) {
            return Ok(bytes.clone());
        }
        let mut plain: Vec<u8> = Vec::with_capacity(rows.len() * 4 * self.depth.bytes());
        for row in rows.chunks(width) {
            let mut before = [0u8; 4];
            for &p in row {
                match self.depth {
                    Depth::Eight => plain.extend(std::array::from_fn::<u8, 4, _>(|k| p[k].wrapping_sub(before[k]))),
                    Depth::Sixteen => {
                        let wide = |v: u8| u16::from(v) * 257;
                        for k in 0..4 {
                            plain.extend(wide(p[k]).wrapping_sub(wide(before[k])).to_ne_bytes());
                        }
                    }
                }
                before = p;
            }
        }
        let bytes = match self.packing {
            Packing::Deflate => fdeflate::compress_to_vec(&plain),
            Packing::Lzw => {
                weezl::encode::Encoder::with_tiff_size_switch(weezl::BitOrder::Msb, 8).encode(&plain).map_err(failed)?
            }
        };
        if is_bare {
            self.bare = Some((rows.len(), bytes.clone()));
        }
        Ok(bytes)
    }
}

/// About how many bytes a strip has before it is packed.
const STRIP: usize = 256 << 10;

fn add(to: &mut Encoder, name: &str, pixels: &Plane<[u8; 4]>, dpi: f64, mut packer: Packer) -> Result<(), Error> {
    let (width, height) = (pixels.width, pixels.height);
    let bits = 8 * packer.depth.bytes() as u16;
    let rows = (STRIP / (width * 4 * packer.depth.bytes()).max(1)).clamp(1, height.max(1));
    let mut page = to.image_directory().map_err(failed)?;
    let (mut offsets, mut sizes): (Vec<u32>, Vec<u32>) = (Vec::new(), Vec::new());
    for strip in pixels.data.chunks((rows * width).max(1)) {
        let bytes = packer.packed(strip, width)?;
        let at = page.write_data(bytes.as_slice()).map_err(failed)?;
        offsets.push(u32::try_from(at).map_err(failed)?);
        sizes.push(bytes.len() as u32);
    }
    let resolution = Rational { n: (dpi * 1000.0).round() as u32, d: 1000 };
    let ascii: String = name.chars().filter(char::is_ascii).collect();
    let mut put = || {
        page.write_tag(Tag::ImageWidth, width as u32)?;
        page.write_tag(Tag::ImageLength, height as u32)?;
        page.write_tag(Tag::BitsPerSample, [bits; 4].as_slice())?;
        page.write_tag(Tag::Compression, packer.packing.code())?;
        page.write_tag(Tag::PhotometricInterpretation, RGB)?;
        page.write_tag(Tag::StripOffsets, offsets.as_slice())?;
        page.write_tag(Tag::SamplesPerPixel, 4u16)?;
        page.write_tag(Tag::RowsPerStrip, rows as u32)?;
        page.write_tag(Tag::StripByteCounts, sizes.as_slice())?;
        page.write_tag(Tag::XResolution, resolution.clone())?;
        page.write_tag(Tag::YResolution, resolution.clone())?;
        page.write_tag(Tag::ResolutionUnit, ResolutionUnit::Inch.to_u16())?;
        page.write_tag(Tag::Predictor, HORIZONTAL)?;
        page.write_tag(Tag::SampleFormat, [UNSIGNED; 4].as_slice())?;
        page.write_tag(Tag::ExtraSamples, UNASSOCIATED)?;
        page.write_tag(Tag::Unknown(PAGE_NAME), ascii.as_str())?;
        page.write_tag(Tag::Software, SOFTWARE)
    };
    put().map_err(failed)?;
    page.finish().map_err(failed)
}

/// What the samples are: red, green, blue; differences along the row; numbers from 0 on.
const RGB: u16 = 2;
const HORIZONTAL: u16 = 2;
const UNSIGNED: u16 = 1;
/// Of the samples beyond the colours: alpha that the colours are not multiplied by.
const UNASSOCIATED: u16 = 2;
/// The tag that names a page.
pub const PAGE_NAME: u16 = 285;
