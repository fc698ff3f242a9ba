//! Pictures within vector art: each can be had by itself, at its place on a white sheet.

use super::kept;
use super::opened::{opened, sheet_of};
use crate::error::Error;
use crate::raster_in::{self, Raster};
use crate::reading::Reading;
use rhizograph_core::raster::plane::{Plane, Rgb};
use usvg::tiny_skia_path::{Point, Transform};
use usvg::{Group, Image, ImageKind, Node};

/// The most pictures of one file that are told of.
const MOST_PICTURES: usize = 100;

/// The pictures of a group, the topmost last, each with the name that it or what holds it has.
fn all<'a>(group: &'a Group, name: &str, out: &mut Vec<(String, &'a Image)>) {
    let name = if group.id().is_empty() { name } else { group.id() };
    for node in group.children() {
        match node {
            Node::Group(g) => all(g, name, out),
            Node::Image(i) if i.is_visible() && out.len() < MOST_PICTURES => out.push((name.to_owned(), i)),
            _ => {}
        }
    }
}

/// The names of the pictures in a file, the topmost first.
pub fn pictures(bytes: &[u8]) -> Result<Vec<String>, Error> {
    opened(bytes, |art| {
        let mut found = Vec::new();
        all(art.tree.root(), "", &mut found);
        let named = |(n, (name, image)): (usize, &(String, &Image))| {
            let [w, h] = [image.size().width(), image.size().height()];
            if name.is_empty() { format!("picture {} ({w} × {h})", n + 1) } else { name.chars().take(120).collect() }
        };
        Ok(found.iter().rev().enumerate().map(named).collect())
    })
}

/// One of them by its number from the topmost on, at its place on white; what cuts it is left aside. Errors: there is none
/// such; damage; too large.
pub fn picture(bytes: &[u8], number: u32) -> Result<Raster, Error> {
    opened(bytes, |art| {
        let ([w, h], to_sheet, _) = sheet_of(&art, &kept::of(art.doc))?;
        let mut found = Vec::new();
        all(art.tree.root(), "", &mut found);
        let none = || Error::Damaged("SVG", format!("it has no picture {}", u64::from(number) + 1));
        let (_, image) = found.iter().rev().nth(number as usize).ok_or_else(none)?;
        let (ImageKind::PNG(data) | ImageKind::JPEG(data)) = image.kind() else { return Err(none()) };
        let part = raster_in::read(data, Reading { upright: false, ..Reading::default() })?;
        let mut rgb = Plane::new((w as usize).max(1), (h as usize).max(1), [255u8; 3]);
        // Without an extent it is not seen.
        if let Some(from_sheet) = to_sheet.pre_concat(image.abs_transform()).invert() {
            laid(&part.rgb, from_sheet, &mut rgb);
        }
        Ok(Raster { rgb, dpi: None, notes: part.notes })
    })
}

/// Lays a picture onto a sheet, each pixel the mean of the four around its place.
fn laid(picture: &Plane<Rgb>, from_sheet: Transform, sheet: &mut Plane<Rgb>) {
    let (w, h) = (picture.width as f32, picture.height as f32);
    let near = |v: f32, n: usize| (v.max(0.0) as usize).min(n - 1);
    for y in 0..sheet.height {
        for x in 0..sheet.width {
            let mut p = Point::from_xy(x as f32 + 0.5, y as f32 + 0.5);
            from_sheet.map_point(&mut p);
            if !(p.x >= 0.0 && p.y >= 0.0 && p.x < w && p.y < h) {
                continue;
            }
            let (u, v) = (p.x - 0.5, p.y - 0.5);
            let (fu, fv) = (u - u.floor(), v - v.floor());
            let at = |du: f32, dv: f32| {
                *picture.at(near(u.floor() + du, picture.width), near(v.floor() + dv, picture.height))
            };
            let (a, b, c, d) = (at(0.0, 0.0), at(1.0, 0.0), at(0.0, 1.0), at(1.0, 1.0));
            let mix = |k: usize| {
                let upper = f32::from(a[k]) * (1.0 - fu) + f32::from(b[k]) * fu;
                let lower = f32::from(c[k]) * (1.0 - fu) + f32::from(d[k]) * fu;
                (upper * (1.0 - fv) + lower * fv + 0.5) as u8
            };
            sheet.set(x, y, [mix(0), mix(1), mix(2)]);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::svg::read;
    use rhizograph_core::scene::Scene;

    /// A PNG of two by two pixels: red and green over blue and white.
    const PICTURE: &str =
        "iVBORw0KGgoAAAANSUhEUgAAAAIAAAACCAIAAAD91JpzAAAAEklEQVR42mP4z8DAAMIM/4EAAB/uBfvxq7p3AAAAAElFTkSuQmCC";

    fn art() -> String {
        format!(
            "<svg xmlns='http://www.w3.org/2000/svg' width='60' height='40'>
            <image id='wash' href='data:image/png;base64,{PICTURE}' width='8' height='8' preserveAspectRatio='none'/>
            <g transform='translate(20 10)'><image href='data:image/png;base64,{PICTURE}' width='16' height='16'/></g>
            <image href='data:image/webp;base64,{PICTURE}' width='8' height='8'/>
            <path d='M1 30H50' stroke='black' stroke-width='3'/></svg>"
        )
    }

    #[test]
    fn each_picture_can_be_had_at_its_place_and_is_no_ink() {
        let art = art();
        assert_eq!(pictures(art.as_bytes()).unwrap(), ["picture 1 (2 × 2)", "wash"]);
        let upper = picture(art.as_bytes(), 0).unwrap().rgb;
        assert_eq!((upper.width, upper.height), (60, 40));
        let at = |x, y| *upper.at(x, y);
        assert_eq!((at(21, 11), at(34, 11), at(21, 24)), ([255, 0, 0], [0, 255, 0], [0, 0, 255]));
        assert_eq!((at(19, 11), at(37, 11)), ([255; 3], [255; 3]), "what is beyond it is white");
        let wash = picture(art.as_bytes(), 1).unwrap().rgb;
        assert_eq!((*wash.at(1, 1), *wash.at(21, 11)), ([255, 0, 0], [255; 3]));
        assert!(picture(art.as_bytes(), 2).unwrap_err().to_string().contains("no picture 3"));
        let v = read(art.as_bytes()).unwrap();
        assert_eq!(v.lines.len(), 1);
        assert!(v.notes.iter().any(|n| n.starts_with("2 pictures are no ink")), "{:?}", v.notes);
        assert!(v.notes.iter().any(|n| n.starts_with("1 picture was left out")), "{:?}", v.notes);
    }

    #[test]
    fn texts_become_the_outlines_of_their_letters() {
        let svg = |family: &str, text: &str| {
            format!(
                "<svg xmlns='http://www.w3.org/2000/svg' width='400' height='100'>
                <text x='10' y='70' font-size='60' font-family='{family}' fill='black'>{text}</text></svg>"
            )
        };
        let v = read(svg("Nobody", "Kettle").as_bytes()).unwrap();
        // Six letters, two of which hold a hole.
        let rings: usize = v.lines.iter().map(|l| l.rings(0.1).len()).sum();
        assert_eq!(rings, 8);
        let ink = Scene::ink_of_lines(&v.lines, v.width, v.height, [0; 3]);
        let inked = ink.alpha.data.iter().filter(|a| **a > 127).count();
        assert!((2000..6000).contains(&inked), "{inked} pixels");
        assert!(v.notes.iter().any(|n| n.starts_with("1 text was set in the type")), "{:?}", v.notes);
        let own = read(svg("Atkinson Hyperlegible Next", "Kettle").as_bytes()).unwrap();
        assert!(own.notes.is_empty(), "{:?}", own.notes);
        let strange = read(svg("Atkinson Hyperlegible Next", "Ket\u{4e00}").as_bytes()).unwrap();
        assert_eq!(strange.notes, ["1 letter was left out: the type has none such"]);
    }
}
