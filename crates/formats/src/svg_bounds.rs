//! What reading a vector file would take, told before its reader begins: numbers no drawing has, which curves would be
//! cut into endlessly many pieces for, and things that hold one another many times over.

use crate::Error;
use std::collections::HashMap;
use usvg::roxmltree::{Document, Node, NodeId};

/// Numbers beyond this are no drawing's.
const LARGEST: f64 = 1e7;
/// The most numbers of shapes that are read, each counted as often as it is drawn.
const MOST_NUMBERS: usize = 16_000_000;
/// How deep things may hold one another.
const DEEPEST: usize = 512;

/// The attributes whose numbers make shapes and places.
const OF_SHAPES: [&str; 19] = [
    "d",
    "points",
    "transform",
    "gradientTransform",
    "patternTransform",
    "viewBox",
    "x",
    "y",
    "width",
    "height",
    "r",
    "rx",
    "ry",
    "cx",
    "cy",
    "x1",
    "y1",
    "x2",
    "y2",
];

/// Refuses a document that would take more than any drawing does.
pub fn check(doc: &Document) -> Result<(), Error> {
    let named = doc.descendants().filter_map(|n| Some((n.attribute("id")?, n))).collect();
    let is_marked_by_sheet = doc.descendants().any(|n| n.tag_name().name() == "style" && has_marker(n.text()));
    let mut weigher = Weigher { named, known: HashMap::new(), everywhere: 0 };
    if is_marked_by_sheet {
        for marker in doc.descendants().filter(|n| n.tag_name().name() == "marker") {
            weigher.everywhere += weigher.weigh(marker, 0)?;
        }
        weigher.known.clear();
    }
    weigher.weigh(doc.root(), 0).map(|_| ())
}

fn has_marker(text: Option<&str>) -> bool {
    text.is_some_and(|t| t.contains("marker"))
}

struct Weigher<'a, 'input> {
    named: HashMap<&'a str, Node<'a, 'input>>,
    /// How many numbers come of a node; none while it is looked at.
    known: HashMap<NodeId, Option<usize>>,
    /// Of markers that a style sheet may put at every place of every line.
    everywhere: usize,
}

impl<'a, 'input> Weigher<'a, 'input> {
    /// How many numbers come of a node, with what it holds and refers to.
    fn weigh(&mut self, node: Node<'a, 'input>, depth: usize) -> Result<usize, Error> {
        if depth > DEEPEST {
            return Err(too_much());
        }
        // What holds itself is refused or passed over by the reader.
        if let Some(known) = self.known.get(&node.id()) {
            return Ok(known.unwrap_or(0));
        }
        self.known.insert(node.id(), None);
        let mut own = 0;
        for attribute in node.attributes().filter(|a| OF_SHAPES.contains(&a.name())) {
            own += numbers(attribute.value())?;
        }
        let mut all = own.saturating_mul(1 + self.everywhere).saturating_add(1);
        for child in node.children().filter(Node::is_element) {
            all = all.saturating_add(self.weigh(child, depth + 1)?);
        }
        for attribute in node.attributes() {
            let (name, value) = (attribute.name(), attribute.value());
            // A marker is drawn at each place of a line.
            let times = match name {
                "href" if node.tag_name().name() == "use" => 1,
                _ if name.starts_with("marker") || name == "style" && has_marker(Some(value)) => own.max(1),
                _ => continue,
            };
            for name in value.split('#').skip(1) {
                let name = name.split([')', '\'', '"']).next().unwrap_or_default().trim();
                if let Some(&other) = self.named.get(name) {
                    all = all.saturating_add(self.weigh(other, depth + 1)?.saturating_mul(times));
                }
            }
        }
        if all > MOST_NUMBERS {
            return Err(too_much());
        }
        self.known.insert(node.id(), Some(all));
        Ok(all)
    }
}

fn too_much() -> Error {
    Error::Damaged("SVG", "it would take more curves than any drawing has".into())
}

/// How many numbers are in a text. Errors: one that no drawing has.
fn numbers(text: &str) -> Result<usize, Error> {
    let bytes = text.as_bytes();
    let (mut at, mut count) = (0, 0);
    let digits = |mut at: usize| {
        while bytes.get(at).is_some_and(u8::is_ascii_digit) {
            at += 1;
        }
        at
    };
    while at < bytes.len() {
        let begin = at;
        at = digits(at);
        if bytes.get(at) == Some(&b'.') {
            at = digits(at + 1);
        }
        if at == begin || &bytes[begin..at] == b"." {
            at = at.max(begin + 1);
            continue;
        }
        if bytes.get(at).is_some_and(|b| b.eq_ignore_ascii_case(&b'e')) {
            let sign = usize::from(matches!(bytes.get(at + 1), Some(b'+' | b'-')));
            let end = digits(at + 1 + sign);
            at = if end > at + 1 + sign { end } else { at };
        }
        // Only digits, a point and an exponent are in there.
        let number: f64 = text[begin..at].parse().unwrap_or(f64::INFINITY);
        if number > LARGEST {
            return Err(Error::Damaged("SVG", "it holds numbers that cannot be drawn".into()));
        }
        count += 1;
    }
    Ok(count)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_told_apart_as_svg_writes_them() {
        for (text, count) in [("M1 1 l.5.5-3e5,7", 6), ("a5 5 0 011.5e-3 2", 5), ("", 0), ("e. -. z", 0), ("1em 2.", 2)]
        {
            assert_eq!(numbers(text).unwrap(), count, "{text}");
        }
        for text in ["1e30", "M0 0 L-99999999999 0", "1e999999", "12345678.9"] {
            assert!(numbers(text).is_err(), "{text}");
        }
    }

    fn checked(inner: &str) -> Result<(), Error> {
        check(&Document::parse(&format!("<svg xmlns='http://www.w3.org/2000/svg'>{inner}</svg>")).unwrap())
    }

    #[test]
    fn what_holds_one_another_many_times_over_is_refused() {
        let twice = |n: usize| format!("<g id='g{}'><use href='#g{n}'/><use href='#g{n}'/></g>", n + 1);
        let chain = |n: usize| format!("<path id='g0' d='M0 0L1 1'/>{}", (0..n).map(twice).collect::<String>());
        assert!(checked(&chain(10)).is_ok());
        assert!(checked(&chain(30)).is_err());
        let line = "L1 1".repeat(5000);
        let marked = |by: &str| format!("<marker id='m'><path d='M0 0{line}'/></marker><path {by} d='M0 0{line}'/>");
        assert!(checked(&marked("")).is_ok());
        assert!(checked(&marked("marker-mid='url(#m)'")).is_err());
        assert!(checked(&marked("style='marker:url(#m)'")).is_err());
        assert!(checked(&format!("<style>path{{marker-mid:url(#m)}}</style>{}", marked(""))).is_err());
        // One that holds itself is left to the reader.
        assert!(checked("<g id='a'><use href='#a'/></g>").is_ok());
    }
}
