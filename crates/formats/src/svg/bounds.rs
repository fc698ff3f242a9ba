//! What reading a vector file would take, told before its reader begins: numbers no drawing has, which curves would be
//! cut into endlessly many pieces for, and things that hold one another many times over.

use crate::error::Error;
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

/// The most attributes of one element: each is held against all others of it.
const MOST_ATTRIBUTES: usize = 2000;

/// Refuses a text that could not be taken apart in good time.
pub fn check_text(text: &str) -> Result<(), Error> {
    let (mut in_tag, mut quote, mut attributes) = (false, 0, 0);
    for &byte in text.as_bytes() {
        match (in_tag, byte) {
            (false, b'<') => (in_tag, attributes) = (true, 0),
            (true, _) if quote == byte => quote = 0,
            (true, _) if quote != 0 => {}
            (true, b'"' | b'\'') => {
                quote = byte;
                attributes += 1;
                if attributes > MOST_ATTRIBUTES {
                    return Err(Error::TooMuch(format!("an element of it has more than {MOST_ATTRIBUTES} attributes")));
                }
            }
            (true, b'>') => in_tag = false,
            _ => {}
        }
    }
    Ok(())
}

/// Refuses a document that would take more than any drawing does.
pub fn check(doc: &Document) -> Result<(), Error> {
    let named: HashMap<&str, Node> = doc.descendants().filter_map(|n| Some((n.attribute("id")?, n))).collect();
    let sheets = doc.descendants().filter(|n| n.tag_name().name() == "style").filter_map(|n| n.text());
    let by_sheet: Vec<Node> = sheets.flat_map(references).filter_map(|name| named.get(name).copied()).collect();
    let mut weigher = Weigher { named, known: HashMap::new(), everywhere: Weight::default() };
    let mut everywhere = Weight::default();
    for node in by_sheet {
        everywhere.hold(weigher.weigh(node, 0)?, 1)?;
    }
    weigher.known.clear();
    weigher.everywhere = everywhere;
    weigher.weigh(doc.root(), 0).map(|_| ())
}

/// The names that a value refers to.
fn references(value: &str) -> impl Iterator<Item = &str> {
    value.split('#').skip(1).map(|name| name.split([')', '\'', '"', ';', ' ']).next().unwrap_or_default().trim())
}

/// What comes of a node, with all it holds and refers to.
#[derive(Debug, Clone, Copy, Default)]
struct Weight {
    /// Numbers of shapes, each counted as often as it is drawn.
    numbers: usize,
    /// How deep things hold one another in it.
    height: usize,
}

impl Weight {
    /// Adds something that is held so many times.
    fn hold(&mut self, other: Weight, times: usize) -> Result<(), Error> {
        self.numbers = self.numbers.saturating_add(other.numbers.saturating_mul(times));
        self.height = self.height.max(other.height + 1);
        if self.numbers > MOST_NUMBERS || self.height > DEEPEST { Err(too_much()) } else { Ok(()) }
    }
}

struct Weigher<'a, 'input> {
    named: HashMap<&'a str, Node<'a, 'input>>,
    /// What comes of a node; none while it is looked at.
    known: HashMap<NodeId, Option<Weight>>,
    /// Of what a style sheet may put at every place of every line.
    everywhere: Weight,
}

impl<'a, 'input> Weigher<'a, 'input> {
    fn weigh(&mut self, node: Node<'a, 'input>, depth: usize) -> Result<Weight, Error> {
        if depth > DEEPEST {
            return Err(too_much());
        }
        // What holds itself is refused or passed over by the reader.
        if let Some(known) = self.known.get(&node.id()) {
            return Ok(known.unwrap_or_default());
        }
        self.known.insert(node.id(), None);
        let mut own = 0;
        for attribute in node.attributes().filter(|a| OF_SHAPES.contains(&a.name())) {
            own += numbers(attribute.value())?;
        }
        let mut all = Weight { numbers: own + 1, height: 0 };
        all.hold(self.everywhere, own)?;
        for child in node.children().filter(Node::is_element) {
            all.hold(self.weigh(child, depth + 1)?, 1)?;
        }
        let mut heirs = None;
        for attribute in node.attributes().filter(|a| a.value().contains('#')) {
            let is_marker = attribute.name().starts_with("marker") || attribute.value().contains("marker");
            // What a group is painted with all in it is painted with; a marker is drawn at each place of a line.
            let times = match attribute.name() {
                "href" => 1,
                _ => *heirs.get_or_insert_with(|| node.descendants().filter(Node::is_element).count()),
            };
            let times = if is_marker { all.numbers.max(times) } else { times };
            for name in references(attribute.value()) {
                if let Some(&other) = self.named.get(name) {
                    all.hold(self.weigh(other, depth + 1)?, times)?;
                }
            }
        }
        self.known.insert(node.id(), Some(all));
        Ok(all)
    }
}

fn too_much() -> Error {
    Error::TooMuch("it would take more curves, or hold them deeper in one another, than any drawing does".into())
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

    #[test]
    fn an_element_of_endless_attributes_is_refused_before_it_is_taken_apart() {
        let many = |n: usize| format!("<svg {}/>", (0..n).map(|k| format!("a{k}='>' ")).collect::<String>());
        assert!(check_text(&many(1000)).is_ok() && check_text(&many(300_000)).is_err());
        assert!(check_text(&"<a b='1'/>".repeat(5000)).is_ok());
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
        // Chains of anything that is painted with something else, in any order.
        for (element, by) in [("pattern", "fill"), ("clipPath", "clip-path"), ("mask", "mask"), ("filter", "filter")] {
            let link =
                |k: usize| format!("<{element} id='k{k}'><path d='M0 0L1 1' {by}='url(#k{})'/></{element}>", k + 1);
            let chain = |n: usize| (0..n).map(link).collect::<String>();
            let turned = |n: usize| (0..n).rev().map(link).collect::<String>();
            assert!(checked(&chain(40)).is_ok() && checked(&turned(40)).is_ok(), "{element}");
            assert!(checked(&chain(2000)).is_err() && checked(&turned(2000)).is_err(), "{element}");
            let twice = |k: usize| {
                format!(
                    "<{element} id='k{k}'><path d='M0 0L1 1' {by}='url(#k{0})'/><path d='M0 0L1 1' style='{by}:url(#k{0})'/></{element}>",
                    k + 1
                )
            };
            assert!(checked(&(0..40).map(twice).collect::<String>()).is_err(), "{element}");
        }
        // One that holds itself is left to the reader.
        assert!(checked("<g id='a'><use href='#a'/></g>").is_ok());
    }
}
