//! What making a picture larger or smaller keeps.

#![allow(clippy::unwrap_used)]

use rhizograph_resample::{Rgba, resampled};

#[test]
fn a_plain_picture_stays_plain_at_any_size_and_clear_pixels_lend_no_colour() {
    let half: Vec<Rgba> = (0..40 * 30).map(|k| if k % 40 < 20 { [200, 30, 40, 255] } else { [9, 99, 9, 0] }).collect();
    for to in [[80, 60], [20, 15], [40, 30], [1, 1]] {
        let made = resampled(half.clone(), [40, 30], to).unwrap();
        assert_eq!(made.len(), to[0] * to[1]);
        // The less of a pixel is there, the more coarsely its colour is told; beside an edge it overshoots by a tenth.
        let is_red = |p: &Rgba| {
            let off = |v: u8, want: f64| (f64::from(v) - want).abs() * f64::from(p[3]) / 255.0;
            p[..3].iter().zip([200.0, 30.0, 40.0]).all(|(&v, want)| off(v, want) <= 0.1 * want + 2.0)
        };
        assert!(made.iter().all(|p| *p == [0; 4] || is_red(p)), "{to:?}");
    }
    assert_eq!(resampled(half.clone(), [40, 30], [40, 30]).unwrap()[..20], half[..20]);
}

#[test]
fn a_size_that_is_none_or_another_number_of_pixels_gives_nothing() {
    assert_eq!(resampled(vec![[0; 4]; 6], [3, 2], [0, 4]), None);
    assert_eq!(resampled(vec![[0; 4]; 5], [3, 2], [6, 4]), None);
}
