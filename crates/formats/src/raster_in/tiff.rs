//! TIFF and BigTIFF, strip by strip or tile by tile: no more of it than the picture and one chunk is ever held. Of several
//! pages the first that is no reduced copy of another is taken.

use super::{Decoded, of_cmyk, on_white, to_8, within_bounds};
use crate::Error;
use image::metadata::Orientation;
use rhizograph_core::plane::{Plane, Rgb};
use std::io::Cursor;
use tiff::ColorType;
use tiff::TiffError;
use tiff::decoder::{Decoder, DecodingResult, Limits};
use tiff::tags::Tag;

/// No more pages are looked at than this.
const MOST_PAGES: usize = 64;
/// The most bytes of one strip or tile.
const MOST_OF_CHUNK: usize = 512 << 20;

type Reader<'a> = Decoder<Cursor<&'a [u8]>>;

fn told(e: TiffError) -> Error {
    match e {
        TiffError::UnsupportedError(what) => Error::Unsupported("TIFF", what.to_string()),
        TiffError::LimitsExceeded => Error::Unsupported("TIFF", "a strip or tile of it is too large".into()),
        e => Error::Damaged("TIFF", e.to_string()),
    }
}

/// What a page's tags tell besides its size.
struct Page {
    colour: ColorType,
    /// Samples of a pixel, extra ones among them.
    samples: usize,
    /// Each sample has planes of its own.
    is_planar: bool,
    /// The colours are multiplied by the alpha already.
    is_premultiplied: bool,
    /// Of a palette: reds, then greens, then blues.
    palette: Vec<u16>,
    turn: Orientation,
}

impl Page {
    fn of(reader: &mut Reader) -> Result<Page, Error> {
        let number = |reader: &mut Reader, tag| reader.find_tag_unsigned::<u16>(tag).ok().flatten();
        let colour = reader.colortype().map_err(told)?;
        let extra = reader.find_tag_unsigned_vec::<u16>(Tag::ExtraSamples).ok().flatten().unwrap_or_default();
        let palette = match colour {
            ColorType::Palette(_) => reader.get_tag_u16_vec(Tag::ColorMap).map_err(told)?,
            _ => Vec::new(),
        };
        let turn = number(reader, Tag::Orientation).and_then(|v| Orientation::from_exif(v.min(9) as u8));
        Ok(Page {
            colour,
            samples: usize::from(number(reader, Tag::SamplesPerPixel).unwrap_or(1)),
            is_planar: number(reader, Tag::PlanarConfiguration) == Some(2),
            is_premultiplied: extra.first() == Some(&1),
            palette,
            turn: turn.unwrap_or(Orientation::NoTransforms),
        })
    }

    /// The colour of a pixel's samples, each brought to 8 bits but for places in a palette.
    fn colour(&self, s: &[u16]) -> Rgb {
        let byte = |k: usize| s[k] as u8;
        match self.colour {
            ColorType::RGB(_) => [byte(0), byte(1), byte(2)],
            ColorType::RGBA(_) => self.see_through([byte(0), byte(1), byte(2)], byte(3)),
            ColorType::GrayA(_) => self.see_through([byte(0); 3], byte(1)),
            ColorType::CMYK(_) | ColorType::CMYKA(_) => of_cmyk([byte(0), byte(1), byte(2), byte(3)]),
            ColorType::YCbCr(_) => of_ycbcr([byte(0), byte(1), byte(2)]),
            ColorType::Lab(_) => of_lab([byte(0), byte(1), byte(2)]),
            ColorType::Palette(_) => {
                let n = self.palette.len() / 3;
                let place = usize::from(s[0]).min(n.saturating_sub(1));
                [0, 1, 2].map(|c| self.palette.get(c * n + place).map_or(0, |&v| to_8(v)))
            }
            ColorType::Gray(_) | ColorType::Multiband { .. } => [byte(0); 3],
            _ => [0; 3],
        }
    }

    fn see_through(&self, colour: Rgb, a: u8) -> Rgb {
        if self.is_premultiplied { colour.map(|c| c.saturating_add(255 - a)) } else { on_white(colour, a) }
    }
}

/// ITU-R BT.601 with full range, as JPEG has it.
fn of_ycbcr([y, cb, cr]: [u8; 3]) -> Rgb {
    let (y, cb, cr) = (f64::from(y), f64::from(cb) - 128.0, f64::from(cr) - 128.0);
    [y + 1.402 * cr, y - 0.344_136 * cb - 0.714_136 * cr, y + 1.772 * cb].map(|v| v.round().clamp(0.0, 255.0) as u8)
}

/// CIE L*a*b* (D50, as ICC has it) to sRGB, with the Bradford-adapted matrix of the sRGB profile.
fn of_lab([l, a, b]: [u8; 3]) -> Rgb {
    let fy = (f64::from(l) / 2.55 + 16.0) / 116.0;
    let (fx, fz) = (fy + (f64::from(a) - 128.0) / 500.0, fy - (f64::from(b) - 128.0) / 200.0);
    let wide = |f: f64| if f > 6.0 / 29.0 { f * f * f } else { (f - 16.0 / 116.0) * 108.0 / 841.0 };
    let (x, y, z) = (0.964_22 * wide(fx), wide(fy), 0.825_21 * wide(fz));
    let linear = [
        3.133_856_1 * x - 1.616_866_7 * y - 0.490_614_6 * z,
        -0.978_768_4 * x + 1.916_141_5 * y + 0.033_454 * z,
        0.071_945_3 * x - 0.228_991_4 * y + 1.405_242_7 * z,
    ];
    linear.map(|v: f64| {
        let v = v.clamp(0.0, 1.0);
        let v = if v <= 0.003_130_8 { 12.92 * v } else { 1.055 * v.powf(1.0 / 2.4) - 0.055 };
        (255.0 * v).round() as u8
    })
}

/// Goes to the page that is taken; gives notes.
fn choose_page(reader: &mut Reader) -> Result<Vec<String>, Error> {
    let mut whole = Vec::new();
    let mut pages = 0;
    loop {
        // Bit 0: a reduced copy, bit 2: a mask.
        let kind = reader.find_tag_unsigned::<u32>(Tag::NewSubfileType).ok().flatten().unwrap_or(0);
        if kind & 0b101 == 0 {
            whole.push(pages);
        }
        pages += 1;
        if pages == MOST_PAGES || !reader.more_images() || reader.next_image().is_err() {
            break;
        }
    }
    reader.seek_to_image(whole.first().copied().unwrap_or(0)).map_err(told)?;
    let more = whole.len() > 1;
    Ok(more.then(|| format!("the file has {} pages: the first was taken", whole.len())).into_iter().collect())
}

/// Samples of a chunk as 16-bit numbers: brought to 8 bits, or places in a palette as they are. `row`: samples in a row
/// of it.
fn samples(chunk: DecodingResult, colour: ColorType, row: usize) -> Result<Vec<u16>, Error> {
    let is_place = matches!(colour, ColorType::Palette(_));
    let float = |v: f64| (v.clamp(0.0, 1.0) * 255.0).round() as u16;
    Ok(match (chunk, colour.bit_depth()) {
        (DecodingResult::U8(bytes), 8) => bytes.into_iter().map(u16::from).collect(),
        (DecodingResult::U8(bytes), bits @ (1 | 2 | 4)) => {
            let each = 8 / usize::from(bits);
            let most = (1u16 << bits) - 1;
            let value = |byte: u8, k: usize| u16::from(byte) >> (8 - usize::from(bits) * (k % each + 1)) & most;
            let wide = |v: u16| if is_place { v } else { v * 255 / most };
            // Each row begins with a byte of its own.
            bytes
                .chunks(row.div_ceil(each))
                .flat_map(|b| (0..row.min(b.len() * each)).map(|k| wide(value(b[k / each], k))))
                .collect()
        }
        (DecodingResult::U16(v), 16) if is_place => v,
        (DecodingResult::U16(v), 16) => v.into_iter().map(|v| u16::from(to_8(v))).collect(),
        (DecodingResult::U32(v), 32) => v.into_iter().map(|v| u16::from(to_8((v >> 16) as u16))).collect(),
        (DecodingResult::F32(v), _) => v.into_iter().map(|v| float(f64::from(v))).collect(),
        (DecodingResult::F64(v), _) => v.into_iter().map(float).collect(),
        (_, bits) => return Err(Error::Unsupported("TIFF", format!("it has {bits} bits a sample"))),
    })
}

pub(super) fn decode(bytes: &[u8]) -> Result<Decoded, Error> {
    let mut limits = Limits::default();
    limits.decoding_buffer_size = MOST_OF_CHUNK;
    limits.intermediate_buffer_size = MOST_OF_CHUNK;
    let mut reader = Decoder::new(Cursor::new(bytes)).map_err(told)?.with_limits(limits);
    let mut notes = choose_page(&mut reader)?;
    let (w, h) = reader.dimensions().map_err(told)?;
    within_bounds(w, h)?;
    let page = Page::of(&mut reader)?;
    let (width, height) = (w as usize, h as usize);
    let (chunk_w, chunk_h) = (reader.chunk_dimensions().0 as usize, reader.chunk_dimensions().1 as usize);
    if chunk_w == 0 || chunk_h == 0 || page.samples == 0 {
        return Err(Error::Damaged("TIFF", "its strips or tiles have no size".into()));
    }
    let (across, down) = (width.div_ceil(chunk_w), height.div_ceil(chunk_h));
    // Of colours that lie in planes of their own, one chunk each makes a part of the picture.
    let (planes, in_chunk) = if page.is_planar { (page.samples, 1) } else { (1, page.samples) };
    let mut data: Vec<Rgb> = vec![[255; 3]; width * height];
    let (mut read, mut first_error) = (0, None);
    for part in 0..across * down {
        let (x0, y0) = (part % across * chunk_w, part / across * chunk_h);
        let (part_w, part_h) = (chunk_w.min(width - x0), chunk_h.min(height - y0));
        let chunk = |plane: usize, reader: &mut Reader| {
            let chunk = reader.read_chunk((plane * across * down + part) as u32).map_err(told)?;
            samples(chunk, page.colour, part_w * in_chunk)
        };
        let chunks = (0..planes).map(|plane| chunk(plane, &mut reader)).collect::<Result<Vec<_>, _>>();
        let chunks = match chunks {
            Ok(chunks) if chunks.iter().all(|c| c.len() >= part_w * part_h * in_chunk) => chunks,
            Ok(_) => {
                first_error = first_error.or(Some(Error::Damaged("TIFF", "a strip or tile of it is too short".into())));
                continue;
            }
            Err(e @ Error::Unsupported(..)) => return Err(e),
            Err(e) => {
                first_error = first_error.or(Some(e));
                continue;
            }
        };
        read += 1;
        let mut pixel = vec![0u16; page.samples];
        for (y, row) in data.chunks_exact_mut(width).skip(y0).take(part_h).enumerate() {
            for (x, out) in row[x0..x0 + part_w].iter_mut().enumerate() {
                let i = y * part_w + x;
                for (s, v) in pixel.iter_mut().enumerate() {
                    *v = if page.is_planar { chunks[s][i] } else { chunks[0][i * in_chunk + s] };
                }
                *out = page.colour(&pixel);
            }
        }
    }
    match first_error {
        Some(e) if read == 0 => return Err(e),
        Some(e) => {
            let missing = 100.0 * (1.0 - f64::from(read) / (across * down) as f64);
            notes.push(format!("{missing:.0} % of the picture are missing: {e}"));
        }
        None => {}
    }
    Ok(Decoded { rgb: Plane { width, height, data }, turn: page.turn, notes })
}
