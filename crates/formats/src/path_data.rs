//! Path data as SVG writes it: moves, lines and curves, numbers rounded to as many digits as are asked for.

use rhizograph_core::geom::Pt;
use rhizograph_core::geom::spine::Spine;

/// How far numbers are rounded: to that many parts of a pixel.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Parts {
    /// For what is only looked at.
    Tenths,
    /// For what is read again.
    Hundredths,
}

/// How many letters a point takes, about.
const EACH: usize = 14;

impl Parts {
    fn number(self, out: &mut String, v: f64) {
        let (parts, digits) = match self {
            Parts::Tenths => (10, 1),
            Parts::Hundredths => (100, 2),
        };
        // As whole numbers: a drawing has millions.
        let all = (v * f64::from(parts)).round() as i64;
        if all < 0 {
            out.push('-');
        }
        let (whole, mut part) = (all.unsigned_abs() / parts as u64, all.unsigned_abs() % parts as u64);
        out.push_str(itoa::Buffer::new().format(whole));
        if part == 0 {
            return;
        }
        out.push('.');
        // Digit by digit, none behind the last that says something.
        let mut tens = 10u64.pow(digits - 1);
        while part > 0 {
            out.push(char::from(b'0' + (part / tens) as u8));
            (part, tens) = (part % tens, tens / 10);
        }
    }

    fn put(self, out: &mut String, command: &str, p: Pt) {
        out.push_str(command);
        self.number(out, p.x);
        out.push(' ');
        self.number(out, p.y);
    }

    /// A chain of curves.
    pub fn spine(self, spine: &Spine) -> String {
        let mut d = String::with_capacity(EACH * spine.points.len());
        for (k, &p) in spine.points.iter().enumerate() {
            let command = match k {
                0 => "M",
                _ if k % 3 == 1 => "C",
                _ => " ",
            };
            self.put(&mut d, command, p);
        }
        if spine.closed {
            d.push('Z');
        }
        d
    }

    /// A path of straight pieces.
    pub fn polyline(self, points: &[Pt]) -> String {
        let mut d = String::with_capacity(EACH * points.len());
        self.pieces(&mut d, points);
        d
    }

    fn pieces(self, d: &mut String, points: &[Pt]) {
        points.iter().enumerate().for_each(|(k, &p)| self.put(d, if k == 0 { "M" } else { "L" }, p));
    }

    /// Closed rings of straight pieces.
    pub fn rings(self, rings: &[Vec<Pt>]) -> String {
        let mut d = String::with_capacity(rings.iter().map(|r| EACH * r.len() + 1).sum());
        for ring in rings {
            self.pieces(&mut d, ring);
            d.push('Z');
        }
        d
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rhizograph_core::geom::pt;

    proptest! {
        #[test]
        fn numbers_are_what_they_were_but_for_their_last_digit(x in -9000.0f64..9000.0, y in -2.0f64..2.0) {
            for (parts, off) in [(Parts::Tenths, 0.05), (Parts::Hundredths, 0.005)] {
                let d = parts.polyline(&[pt(x, y)]);
                let numbers: Vec<f64> = d[1..].split(' ').map(|n| n.parse().unwrap()).collect();
                prop_assert!((numbers[0] - x).abs() < off + 1e-9 && (numbers[1] - y).abs() < off + 1e-9, "{d}");
            }
        }
    }

    #[test]
    fn paths_are_short_and_closed_where_they_are() {
        let rings = [vec![pt(1.0, -0.04), pt(10.5, 2.04), pt(0.999, -3.5)], vec![pt(0.0, 0.3)]];
        assert_eq!(Parts::Hundredths.rings(&rings), "M1 -0.04L10.5 2.04L1 -3.5ZM0 0.3Z");
        assert_eq!(Parts::Tenths.rings(&rings), "M1 0L10.5 2L1 -3.5ZM0 0.3Z");
        let curve = Spine { points: vec![pt(0.0, 0.0), pt(1.0, 1.0), pt(2.0, 1.0), pt(3.0, 0.0)], closed: true };
        assert_eq!(Parts::Tenths.spine(&curve), "M0 0C1 1 2 1 3 0Z");
    }
}
