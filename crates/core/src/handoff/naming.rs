//! Names of files by a pattern with words in braces.

use crate::error::Error;

/// What a name is made of.
#[derive(Debug, Clone, Copy)]
pub struct Naming<'a> {
    pub production: &'a str,
    pub shot: &'a str,
    pub drawing: &'a str,
    /// The first frame that the drawing is seen in, from 1.
    pub frame: usize,
    /// What of the drawing it is: ink, paint, a swatch.
    pub layer: &'a str,
}

/// The longest name, characters.
const LONGEST: usize = 120;
/// The most digits of a frame.
const MOST_DIGITS: usize = 8;

/// The name that a pattern gives, without what tells the format. The pattern may name `{production}`, `{shot}`,
/// `{drawing}`, `{layer}` and `{frame}`, the last with how many digits it has: `{frame:4}`. What no file name may have
/// becomes a dash. Errors: an unknown word, a brace without its other one, a name without any letter.
///
/// ```
/// use rhizograph_core::handoff::{Naming, named};
/// let of = Naming { production: "Kettle Post", shot: "012", drawing: "A-01", frame: 3, layer: "ink" };
/// assert_eq!(named("{shot}_{layer}.{frame:4}", of).unwrap(), "012_ink.0003");
/// ```
pub fn named(pattern: &str, of: Naming) -> Result<String, Error> {
    let mut out = String::new();
    let mut rest = pattern;
    while let Some(at) = rest.find(['{', '}']) {
        out.push_str(&rest[..at]);
        let inner = rest[at..].strip_prefix('{').and_then(|r| r.split_once('}'));
        let (word, after) = inner.ok_or(Error::Mismatch("a brace of the naming pattern has no other one"))?;
        let (word, digits) = word.split_once(':').map_or((word, None), |(w, d)| (w, Some(d)));
        let digits = digits.map(|d| d.parse::<usize>().ok().filter(|d| (1..=MOST_DIGITS).contains(d)));
        match (word, digits) {
            ("production", None) => out.push_str(of.production),
            ("shot", None) => out.push_str(of.shot),
            ("drawing", None) => out.push_str(of.drawing),
            ("layer", None) => out.push_str(of.layer),
            ("frame", None) => out.push_str(&of.frame.to_string()),
            ("frame", Some(Some(width))) => out.push_str(&format!("{:0width$}", of.frame)),
            _ => {
                return Err(Error::Mismatch(
                    "the naming pattern knows {production}, {shot}, {drawing}, {layer} and {frame:4}",
                ));
            }
        }
        rest = after;
    }
    out.push_str(rest);
    let no_name = |c: char| c.is_control() || "/\\:*?\"<>|".contains(c);
    let out: String = out.chars().map(|c| if no_name(c) { '-' } else { c }).take(LONGEST).collect();
    let out = out.trim_matches(|c: char| c == '.' || c.is_whitespace()).to_owned();
    if out.is_empty() { Err(Error::Mismatch("the naming pattern gives no name")) } else { Ok(out) }
}

#[cfg(test)]
mod tests {
    use super::*;

    const OF: Naming = Naming { production: "Kettle Post", shot: "012", drawing: "A/01", frame: 27, layer: "paint" };

    #[test]
    fn a_name_never_leaves_its_folder() {
        assert_eq!(named("../../{drawing}", OF).unwrap(), "-..-A-01");
        assert_eq!(named("..", OF).ok(), None);
        assert_eq!(named("{production} {frame}", OF).unwrap(), "Kettle Post 27");
        assert_eq!(named("{frame:6}", OF).unwrap(), "000027");
    }

    #[test]
    fn a_pattern_that_says_nothing_is_refused() {
        for wrong in ["{frame:0}", "{frame:99}", "{number}", "{shot", "shot}", "", "{shot:3}"] {
            assert!(named(wrong, OF).is_err(), "{wrong}");
        }
    }
}
