//! Pictures as they are sent to the page.

use rhizograph_app::service::pictures::{RUN, in_runs, of_runs};

/// What the page does with it.
fn read<const EACH: usize>(packed: &[u8], width: usize, height: usize) -> Vec<u8> {
    let runs = width.div_ceil(RUN);
    let (seen, mut rest) = packed.split_at(runs * height);
    let mut out = Vec::new();
    for (k, &seen) in seen.iter().enumerate() {
        let n = EACH * RUN.min(width - k % runs * RUN);
        if seen == 0 {
            out.resize(out.len() + n, 0);
        } else {
            let (run, more) = rest.split_at(n);
            out.extend(run);
            rest = more;
        }
    }
    assert!(rest.is_empty());
    out
}

#[test]
fn a_picture_in_runs_is_the_picture_and_its_bare_runs_take_one_byte() {
    for (width, height) in [(1, 1), (63, 2), (64, 3), (65, 4), (200, 7)] {
        let alpha: Vec<u8> = (0..width * height)
            .map(|i| if i % 97 < 3 && (i / 90) % 3 == 0 { (i % 255) as u8 + 1 } else { 0 })
            .collect();
        let packed = in_runs::<1>(&alpha, width);
        assert_eq!(read::<1>(&packed, width, height), alpha);
        assert_eq!(of_runs(&packed, width, height), Some(alpha.clone()));
        // What was cut off or does not belong to it is no picture.
        assert_eq!(of_runs(&packed[..packed.len() - 1], width, height), None);
        assert_eq!(of_runs(&[&packed[..], &[7]].concat(), width, height), None);
        let coloured: Vec<u8> = alpha.iter().flat_map(|&a| if a > 0 { [9, 8, 7, a] } else { [0; 4] }).collect();
        assert_eq!(read::<4>(&in_runs::<4>(&coloured, width), width, height), coloured);
    }
    assert_eq!(in_runs::<1>(&[0; 640], 320), vec![0; 10]);
    assert_eq!(in_runs::<1>(&[], 0), Vec::<u8>::new());
}
