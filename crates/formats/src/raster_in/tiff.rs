//! TIFF and BigTIFF, strip by strip or tile by tile: no more of it than the picture and one chunk is ever held. Of several
//! pages that which is asked for is taken, or the one called ink, or the first that is no reduced copy of another.

use super::decoded::{Decoded, of_cmyk, on_white, to_8, within_bounds};
use crate::error::Error;
use crate::tiff_out::PAGE_NAME;
use image::metadata::Orientation;
use rhizograph_core::raster::plane::{Plane, Rgb};
use std::io::Cursor;
use tiff::decoder::{Decoder, DecodingResult, Limits};
use tiff::tags::Tag;
use tiff::{ColorType, TiffError, TiffUnsupportedError};

/// No more pages are looked at than this.
const MOST_PAGES: usize = 64;
/// The most bytes of one strip or tile.
const MOST_OF_CHUNK: usize = 512 << 20;

type Reader<'a> = Decoder<Cursor<&'a [u8]>>;

/// What the samples of a page mean that the library reads as something else, once the file says so.
enum Meant {
    AsTold,
    /// Places in a palette: reds, then greens, then blues, 8 bits each. They are read as shades of grey.
    Palette(Vec<u16>),
    /// CIE L*a*b*, read as red, green and blue; `signed`: a and b are numbers below and above 0.
    Lab {
        signed: bool,
    },
}

/// Where the file holds what a page's colours are, and the number that says it.
fn colours_at(bytes: &[u8], page: u64) -> Option<(usize, u16)> {
    let is_little = bytes.starts_with(b"II");
    let number = |at: usize, n: usize| {
        let part = bytes.get(at..at.checked_add(n)?)?;
        let join = |v: u64, b: &u8| v << 8 | u64::from(*b);
        Some(if is_little { part.iter().rev().fold(0, join) } else { part.iter().fold(0, join) })
    };
    let is_big = number(2, 2)? == 43;
    let (of_count, each, value) = if is_big { (8, 20, 12) } else { (2, 12, 8) };
    let first = usize::try_from(page).ok()?;
    let count = number(first, of_count)?.min(10_000) as usize;
    let entries = (0..count).filter_map(|k| first.checked_add(of_count + k * each));
    let entry = entries.into_iter().find(|&e| number(e, 2) == Some(262))?;
    Some((entry + value, number(entry + value, 2)? as u16))
}

/// Numbers that tell what the colours of a page are.
const AS_GREY: u16 = 1;
const AS_RGB: u16 = 2;
const PALETTE: u16 = 3;
const CIE_LAB: u16 = 8;
const ICC_LAB: u16 = 9;

fn told(e: TiffError) -> Error {
    match e {
        TiffError::UnsupportedError(what) => Error::Unsupported("TIFF", in_words(&what)),
        TiffError::LimitsExceeded => Error::Unsupported("TIFF", "a strip or tile of it is too large".into()),
        e => Error::Damaged("TIFF", e.to_string()),
    }
}

/// What is not read, told of the file.
fn in_words(what: &TiffUnsupportedError) -> String {
    match what {
        TiffUnsupportedError::InterpretationWithBits(kind, bits) => {
            format!(
                "its colours are {kind:?} in {} bits",
                bits.iter().map(u8::to_string).collect::<Vec<_>>().join(", ")
            )
        }
        TiffUnsupportedError::UnsupportedCompressionMethod(kind) => format!("it is packed as {kind:?}"),
        TiffUnsupportedError::UnsupportedInterpretation(kind) => format!("its colours are {kind:?}"),
        other => other.to_string(),
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
    meant: Meant,
    turn: Orientation,
}

impl Page {
    fn of(reader: &mut Reader, meant: Meant) -> Result<Page, Error> {
        let number = |reader: &mut Reader, tag| reader.find_tag_unsigned::<u16>(tag).ok().flatten();
        let colour = reader.colortype().map_err(told)?;
        let extra = reader.find_tag_unsigned_vec::<u16>(Tag::ExtraSamples).ok().flatten().unwrap_or_default();
        let turn = number(reader, Tag::Orientation).and_then(|v| Orientation::from_exif(v.min(9) as u8));
        Ok(Page {
            colour,
            samples: usize::from(number(reader, Tag::SamplesPerPixel).unwrap_or(1)),
            is_planar: number(reader, Tag::PlanarConfiguration) == Some(2),
            is_premultiplied: extra.first() == Some(&1),
            meant,
            turn: turn.unwrap_or(Orientation::NoTransforms),
        })
    }

    /// The colour of a pixel's samples, each brought to 8 bits but for places in a palette.
    fn colour(&self, s: &[u16]) -> Rgb {
        let byte = |k: usize| s[k] as u8;
        match &self.meant {
            Meant::Palette(palette) => {
                let n = palette.len() / 3;
                let place = usize::from(s[0]).min(n.saturating_sub(1));
                return [0, 1, 2].map(|c| palette.get(c * n + place).map_or(0, |&v| v as u8));
            }
            Meant::Lab { signed } => {
                let middle = if *signed { 128 } else { 0 };
                return of_lab([byte(0), byte(1).wrapping_add(middle), byte(2).wrapping_add(middle)]);
            }
            Meant::AsTold => {}
        }
        match self.colour {
            ColorType::RGB(_) => [byte(0), byte(1), byte(2)],
            ColorType::RGBA(_) => self.see_through([byte(0), byte(1), byte(2)], byte(3)),
            ColorType::GrayA(_) => self.see_through([byte(0); 3], byte(1)),
            ColorType::CMYK(_) | ColorType::CMYKA(_) => of_cmyk([byte(0), byte(1), byte(2), byte(3)]),
            ColorType::YCbCr(_) => of_ycbcr([byte(0), byte(1), byte(2)]),
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

/// The pages of a file that are no reduced copies or masks of others, and that of them which is called ink.
struct Pages {
    whole: Vec<usize>,
    ink: Option<usize>,
}

impl Pages {
    fn of(reader: &mut Reader) -> Pages {
        let mut found = Pages { whole: Vec::new(), ink: None };
        let mut number = 0;
        loop {
            // Bit 0: a reduced copy, bit 2: a mask.
            let kind = reader.find_tag_unsigned::<u32>(Tag::NewSubfileType).ok().flatten().unwrap_or(0);
            if kind & 0b101 == 0 {
                found.whole.push(number);
                let name = reader.get_tag_ascii_string(Tag::Unknown(PAGE_NAME)).unwrap_or_default();
                if found.ink.is_none() && name.eq_ignore_ascii_case("ink") {
                    found.ink = Some(number);
                }
            }
            number += 1;
            if number == MOST_PAGES || !reader.more_images() || reader.next_image().is_err() {
                return found;
            }
        }
    }

    /// The number of the page that is taken, and notes. `asked`: from 1 on; 0: that which is the drawing.
    fn choose(&self, asked: usize) -> Result<(usize, Vec<String>), Error> {
        let Pages { whole, ink } = self;
        if asked > 0 {
            let page = whole.get(asked - 1).copied();
            let missing = || Error::Damaged("TIFF", format!("it has no page {asked}"));
            return page.map(|p| (p, Vec::new())).ok_or_else(missing);
        }
        if let Some(page) = ink {
            return Ok((*page, vec![format!("of its {} layers the ink was taken", whole.len())]));
        }
        let more = (whole.len() > 1).then(|| format!("the file has {} pages: the first was taken", whole.len()));
        Ok((whole.first().copied().unwrap_or(0), more.into_iter().collect()))
    }
}

/// How many drawings a file holds: its pages, or one where they are the layers of a drawing.
pub(super) fn drawings(bytes: &[u8]) -> usize {
    let Ok(mut reader) = Decoder::new(Cursor::new(bytes)) else { return 1 };
    let Pages { whole, ink } = Pages::of(&mut reader);
    if ink.is_some() { 1 } else { whole.len().max(1) }
}

/// Samples of a chunk as 16-bit numbers: brought to 8 bits, or places in a palette as they are. `row`: samples in a row
/// of it.
fn samples(chunk: DecodingResult, page: &Page, row: usize) -> Result<Vec<u16>, Error> {
    let (colour, is_place) = (page.colour, matches!(page.meant, Meant::Palette(_)));
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

/// Decodes a page, from 1 on; 0: that which is the drawing.
pub(super) fn decode(bytes: &[u8], page: usize) -> Result<Decoded, Error> {
    let mut reader = Decoder::new(Cursor::new(bytes)).map_err(told)?;
    let (page, notes) = Pages::of(&mut reader).choose(page)?;
    reader.seek_to_image(page).map_err(told)?;
    let colours = reader.ifd_pointer().and_then(|p| colours_at(bytes, p.0));
    let (at, read_as, meant) = match colours {
        Some((at, PALETTE)) => (at, AS_GREY, Meant::Palette(palette_of(&mut reader)?)),
        Some((at, kind @ (CIE_LAB | ICC_LAB))) => (at, AS_RGB, Meant::Lab { signed: kind == CIE_LAB }),
        _ => return decode_page(bytes, page, Meant::AsTold, notes),
    };
    let mut bytes = bytes.to_vec();
    let read_as = if bytes.starts_with(b"II") { read_as.to_le_bytes() } else { read_as.to_be_bytes() };
    bytes[at..at + 2].copy_from_slice(&read_as);
    decode_page(&bytes, page, meant, notes)
}

/// The palette of a page.
fn palette_of(reader: &mut Reader) -> Result<Vec<u16>, Error> {
    let palette = reader.get_tag_u16_vec(Tag::ColorMap).map_err(told)?;
    if palette.len() < 6 || palette.len() % 3 != 0 {
        return Err(Error::Damaged("TIFF", "its palette is missing".into()));
    }
    // Some write eight bits as the higher half of sixteen, some spread them over all.
    let is_higher_half = palette.iter().all(|v| v & 0xFF == 0);
    Ok(palette.into_iter().map(|v| if is_higher_half { v >> 8 } else { u16::from(to_8(v)) }).collect())
}

/// Decodes a page.
fn decode_page(bytes: &[u8], number: usize, meant: Meant, mut notes: Vec<String>) -> Result<Decoded, Error> {
    let mut limits = Limits::default();
    limits.decoding_buffer_size = MOST_OF_CHUNK;
    limits.intermediate_buffer_size = MOST_OF_CHUNK;
    let mut reader = Decoder::new(Cursor::new(bytes)).map_err(told)?.with_limits(limits);
    reader.seek_to_image(number).map_err(told)?;
    let (w, h) = reader.dimensions().map_err(told)?;
    within_bounds(w, h)?;
    let page = Page::of(&mut reader, meant)?;
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
            samples(chunk, &page, part_w * in_chunk)
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
    Ok(Decoded { pixels: Plane { width, height, data }, turn: page.turn, notes })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The tags of a page: number, kind (3: 16 bits, 4: 32 bits), values.
    type Tags<'a> = Vec<(u16, u16, Vec<u32>)>;

    /// A little-endian TIFF of pages, each with its samples.
    fn tiff(pages: &[(Tags, Vec<u8>)], is_big: bool) -> Vec<u8> {
        let mut out = if is_big { b"II+\0\x08\0\0\0".to_vec() } else { b"II*\0".to_vec() };
        let word = |v: u64| if is_big { v.to_le_bytes().to_vec() } else { (v as u32).to_le_bytes().to_vec() };
        let each = if is_big { 8 } else { 4 };
        let mut link = out.len();
        out.extend(word(0));
        for (tags, data) in pages {
            let strip = out.len() as u64;
            out.extend(data);
            let mut tags = tags.clone();
            if !tags.iter().any(|t| t.0 == 322) {
                tags.extend([(273, 4, vec![strip as u32]), (279, 4, vec![data.len() as u32])]);
            }
            tags.sort();
            let long: Vec<(usize, Vec<u8>)> = tags
                .iter()
                .map(|(_, kind, values)| {
                    let bytes: Vec<u8> = values
                        .iter()
                        .flat_map(|v| v.to_le_bytes()[..if *kind == 3 { 2 } else { 4 }].to_vec())
                        .collect();
                    let at = out.len();
                    if bytes.len() > each {
                        out.extend(&bytes);
                    }
                    (at, bytes)
                })
                .collect();
            let page = out.len() as u64;
            out[link..link + each].copy_from_slice(&word(page));
            if is_big {
                out.extend((tags.len() as u64).to_le_bytes())
            } else {
                out.extend((tags.len() as u16).to_le_bytes())
            }
            for ((tag, kind, values), (at, bytes)) in tags.iter().zip(long) {
                out.extend(tag.to_le_bytes());
                out.extend(kind.to_le_bytes());
                out.extend(word(values.len() as u64));
                if bytes.len() > each {
                    out.extend(word(at as u64))
                } else {
                    out.extend(bytes.into_iter().chain([0; 8]).take(each))
                }
            }
            link = out.len();
            out.extend(word(0));
        }
        out
    }

    fn page(w: u32, h: u32, bits: &[u32], colours: u32, more: &[(u16, u16, &[u32])]) -> Tags<'static> {
        let mut tags: Tags = vec![
            (256, 4, vec![w]),
            (257, 4, vec![h]),
            (258, 3, bits.to_vec()),
            (259, 3, vec![1]),
            (262, 3, vec![colours]),
            (277, 3, vec![bits.len() as u32]),
            (278, 4, vec![h]),
        ];
        tags.extend(more.iter().map(|(t, k, v)| (*t, *k, v.to_vec())));
        tags
    }

    fn read(file: &[u8]) -> Decoded {
        decode(file, 0).unwrap_or_else(|e| panic!("{e}"))
    }

    #[test]
    fn places_in_a_palette_have_its_colours_at_any_depth_in_tiff_and_bigtiff() {
        let map = |n: u32| (0..3 * n).map(|k| [0, 100, 200][(k / n) as usize] * 257 + k % n * 257).collect::<Vec<_>>();
        for (bits, data) in [
            (8, vec![3, 1, 2, 0]),
            (4, vec![0x31, 0x20]),
            (2, vec![0b1101_0000, 0b1000_0000]),
            (1, vec![0b1000_0000, 0b0100_0000]),
        ] {
            let values = match bits {
                1 => [1, 0, 0, 1],
                _ => [3, 1, 2, 0],
            };
            // Each row of less than a byte begins with one of its own.
            for is_big in [false, true] {
                let tags = page(2, 2, &[bits], 3, &[(320, 3, &map(1 << bits))]);
                let Decoded { pixels: rgb, .. } = read(&tiff(&[(tags, data.clone())], is_big));
                let want: Vec<Rgb> = values.map(|v| [v, 100 + v, 200 + v]).to_vec();
                assert_eq!(rgb.data, want, "{bits} bits, big: {is_big}");
            }
        }
    }

    #[test]
    fn few_bits_of_grey_spread_to_eight_and_white_may_be_zero() {
        let Decoded { pixels: rgb, .. } = read(&tiff(&[(page(3, 1, &[4], 1, &[]), vec![0x0F, 0x80])], false));
        assert_eq!(rgb.data, [[0; 3], [255; 3], [136; 3]]);
        let Decoded { pixels: rgb, .. } = read(&tiff(&[(page(4, 1, &[1], 0, &[]), vec![0b0101_0000])], false));
        assert_eq!(rgb.data, [[255; 3], [0; 3], [255; 3], [0; 3]]);
        let Decoded { pixels: rgb, .. } = read(&tiff(&[(page(2, 1, &[8], 0, &[]), vec![0, 200])], false));
        assert_eq!(rgb.data, [[255; 3], [55; 3]]);
    }

    #[test]
    fn colours_that_are_multiplied_by_their_alpha_are_not_darkened_again() {
        let pixel = |extra: u32, data: [u8; 4]| {
            let tags = page(1, 1, &[8, 8, 8, 8], 2, &[(338, 3, &[extra])]);
            read(&tiff(&[(tags, data.to_vec())], false)).pixels.data[0]
        };
        assert_eq!(pixel(2, [200, 0, 100, 128]), [227, 127, 177]);
        assert_eq!(pixel(1, [100, 0, 50, 128]), [227, 127, 177]);
    }

    #[test]
    fn the_first_page_that_is_no_reduced_copy_is_taken_upright() {
        let small = (page(1, 1, &[8], 1, &[(254, 4, &[1])]), vec![9]);
        let whole = (page(2, 1, &[8], 1, &[(274, 3, &[6])]), vec![10, 20]);
        let second = (page(2, 1, &[8], 1, &[]), vec![30, 40]);
        let one = read(&tiff(&[small.clone(), whole.clone()], false));
        assert_eq!(
            (one.pixels.width, one.pixels.data.len(), one.turn, one.notes.len()),
            (2, 2, Orientation::Rotate90, 0)
        );
        assert_eq!(one.pixels.data, [[10; 3], [20; 3]]);
        let file = tiff(&[small, whole, second], false);
        assert_eq!(read(&file).notes, ["the file has 2 pages: the first was taken"]);
        // Each of them is a drawing, and can be asked for; of layers one is.
        assert_eq!(drawings(&file), 2);
        let asked = |page| decode(&file, page).map(|d| (d.pixels.data, d.notes.len()));
        assert_eq!(asked(1).unwrap(), (vec![[10; 3], [20; 3]], 0));
        assert_eq!(asked(2).unwrap(), (vec![[30; 3], [40; 3]], 0));
        assert!(matches!(asked(3), Err(Error::Damaged("TIFF", why)) if why == "it has no page 3"));
        assert_eq!((drawings(b"II*\0"), drawings(&tiff(&[(page(1, 1, &[8], 1, &[]), vec![9])], false))), (1, 1));
    }

    #[test]
    fn tiles_in_planes_make_the_same_picture_as_one_strip() {
        let value = |x: usize, y: usize, c: usize| (x * 3 + y * 5 + c * 70) as u8;
        let (w, h, side) = (40usize, 24usize, 16);
        let mut data = Vec::new();
        let (across, down) = (w.div_ceil(side), h.div_ceil(side));
        for c in 0..3 {
            for tile in 0..across * down {
                let (x0, y0) = (tile % across * side, tile / across * side);
                data.extend((0..side * side).map(|i| value(x0 + i % side, y0 + i / side, c)));
            }
        }
        let each = (side * side) as u32;
        let places: Vec<u32> = (0..(3 * across * down) as u32).map(|k| 8 + k * each).collect();
        let mut tags = page(
            w as u32,
            h as u32,
            &[8, 8, 8],
            2,
            &[(284, 3, &[2]), (322, 4, &[16]), (323, 4, &[16]), (324, 4, &places), (325, 4, &vec![each; places.len()])],
        );
        tags.retain(|t| t.0 != 278);
        let Decoded { pixels: rgb, .. } = read(&tiff(&[(tags, data)], false));
        for (x, y) in (0..w).flat_map(|x| (0..h).map(move |y| (x, y))) {
            assert_eq!(*rgb.at(x, y), [0, 1, 2].map(|c| value(x, y, c)), "{x}, {y}");
        }
    }

    #[test]
    fn luma_and_chroma_and_lab_are_turned_to_red_green_and_blue() {
        let of = |colours: u32, data: [u8; 3]| {
            let tags = page(1, 1, &[8, 8, 8], colours, &[(530, 3, &[1, 1])]);
            read(&tiff(&[(tags, data.to_vec())], false)).pixels.data[0]
        };
        assert_eq!(of(6, [128, 128, 128]), [128; 3]);
        assert_eq!(of(6, [76, 85, 255]), [254, 0, 0]);
        // Middle grey, and the red of sRGB.
        assert_eq!(of(9, [137, 128, 128]), [128; 3]);
        let red = of(9, [138, 209, 198]);
        assert!(red[0] > 245 && red[1] < 25 && red[2] < 25, "{red:?}");
    }

    #[test]
    fn what_is_not_read_is_named() {
        let said = |tags: Tags, n: usize| match decode(&tiff(&[(tags, vec![0; n])], false), 0) {
            Err(Error::Unsupported("TIFF", why)) => why,
            other => panic!("{:?}", other.map(|d| d.pixels)),
        };
        assert!(said(page(1, 1, &[8, 8, 8], 10, &[]), 3).contains("olour"));
        let mut packed = page(1, 1, &[1], 1, &[]);
        packed[3].2 = vec![3];
        assert!(said(packed, 3).contains("Fax3"));
        assert!(matches!(
            decode(&tiff(&[(page(1, 1, &[8], 3, &[]), vec![0])], false), 0),
            Err(Error::Damaged("TIFF", _))
        ));
    }
}
