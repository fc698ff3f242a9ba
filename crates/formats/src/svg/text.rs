//! SVG as text: told apart from others, decoded, and the pieces it is put together from.

use std::borrow::Cow;

/// The longest SVG text that is read, bytes.
pub const MOST_TEXT: usize = 32 << 20;

/// A text in UTF-8, or in UTF-16 with a byte order mark; `None`: neither.
pub fn text_of(bytes: &[u8]) -> Option<Cow<'_, str>> {
    let wide = |from: fn([u8; 2]) -> u16, bytes: &[u8]| {
        let units: Vec<u16> = bytes.as_chunks::<2>().0.iter().map(|u| from(*u)).collect();
        String::from_utf16(&units).ok().map(Cow::Owned)
    };
    match bytes {
        [0xFF, 0xFE, rest @ ..] => wide(u16::from_le_bytes, rest),
        [0xFE, 0xFF, rest @ ..] => wide(u16::from_be_bytes, rest),
        _ => std::str::from_utf8(bytes).ok().map(|t| Cow::Borrowed(t.trim_start_matches('\u{feff}'))),
    }
}

/// Whether the bytes begin like an SVG document, after declarations and comments of any length.
pub fn looks_like_svg(bytes: &[u8]) -> bool {
    let is_wide = matches!(bytes, [0xFF, 0xFE, ..] | [0xFE, 0xFF, ..]);
    let begins = bytes.trim_ascii_start().first() == Some(&b'<') || bytes.starts_with(b"\xEF\xBB\xBF");
    if !is_wide && !begins {
        return false;
    }
    let Some(text) = text_of(bytes).filter(|_| bytes.len() <= MOST_TEXT) else {
        // Of what is no text all the way the beginning may be SVG still: it is told so when it is read.
        return bytes[..bytes.len().min(1024)].windows(4).any(|w| w == b"<svg");
    };
    let mut rest = text.trim_start();
    loop {
        let end = match rest {
            r if r.starts_with("<?") => "?>",
            r if r.starts_with("<!--") => "-->",
            // A document type may hold declarations of its own.
            r if r.starts_with("<!") && r[..r.find('>').unwrap_or(0)].contains('[') => "]>",
            r if r.starts_with("<!") => ">",
            _ => break,
        };
        let Some(at) = rest.find(end) else { return false };
        rest = rest[at + end.len()..].trim_start();
    }
    let name = rest.strip_prefix('<').map(|r| r.split([' ', '\t', '\r', '\n', '>', '/']).next().unwrap_or(""));
    name.is_some_and(|n| n == "svg" || n.ends_with(":svg"))
}

/// A colour as SVG names it.
pub fn hex(c: [u8; 3]) -> String {
    format!("#{:02x}{:02x}{:02x}", c[0], c[1], c[2])
}

/// A text within an attribute or an element.
pub fn escape(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;").replace('\'', "&apos;")
}
