//! The kettle by itself, drawn on a tablet: strokes of a pen that lie over nothing, so that they are inked as they are.

use crate::pen::{Path, through};
use crate::tablet::{Press, record};
use rhizograph_core::draw::Sample;

pub const WIDTH: u32 = 2400;
pub const HEIGHT: u32 = 1800;
pub const DPI: f64 = 300.0;

/// A stroke as the tablet told it, and how broad the pen was set, px.
pub struct Inked {
    pub samples: Vec<Sample>,
    pub width: f64,
}

/// All strokes, in the order they were drawn.
pub fn strokes() -> Vec<Inked> {
    let open = |points: &[(f64, f64)]| through(points, false);
    let closed = |points: &[(f64, f64)]| through(points, true);
    let list: Vec<(Path, Press, f64)> = vec![
        // The body, round the pot from under the lid and back.
        (
            closed(&[
                (900.0, 760.0),
                (700.0, 900.0),
                (640.0, 1120.0),
                (720.0, 1330.0),
                (960.0, 1410.0),
                (1240.0, 1412.0),
                (1480.0, 1335.0),
                (1560.0, 1120.0),
                (1500.0, 905.0),
                (1300.0, 765.0),
                (1100.0, 735.0),
            ]),
            Press::Even,
            11.0,
        ),
        // A band round its belly.
        (
            open(&[(646.0, 1080.0), (860.0, 1150.0), (1100.0, 1168.0), (1340.0, 1150.0), (1556.0, 1080.0)]),
            Press::Even,
            7.0,
        ),
        // The lid, its rim and its knob.
        (open(&[(886.0, 764.0), (930.0, 680.0), (1100.0, 640.0), (1270.0, 682.0), (1314.0, 768.0)]), Press::Even, 9.0),
        (
            closed(&[
                (1058.0, 600.0),
                (1070.0, 560.0),
                (1100.0, 546.0),
                (1132.0, 560.0),
                (1144.0, 600.0),
                (1100.0, 640.0),
            ]),
            Press::Even,
            8.0,
        ),
        // The spout.
        (
            open(&[(1536.0, 1010.0), (1640.0, 960.0), (1700.0, 850.0), (1740.0, 720.0), (1830.0, 690.0)]),
            Press::Even,
            10.0,
        ),
        (
            open(&[(1540.0, 1210.0), (1690.0, 1140.0), (1780.0, 1000.0), (1820.0, 830.0), (1830.0, 690.0)]),
            Press::Even,
            10.0,
        ),
        // The handle over it.
        (
            open(&[
                (780.0, 834.0),
                (740.0, 600.0),
                (840.0, 390.0),
                (1100.0, 310.0),
                (1360.0, 392.0),
                (1460.0, 602.0),
                (1420.0, 838.0),
            ]),
            Press::Even,
            10.0,
        ),
        (
            open(&[
                (846.0, 790.0),
                (812.0, 610.0),
                (890.0, 450.0),
                (1100.0, 384.0),
                (1310.0, 452.0),
                (1388.0, 612.0),
                (1354.0, 792.0),
            ]),
            Press::Even,
            8.0,
        ),
        // The wall it stands on.
        (open(&[(180.0, 1408.0), (420.0, 1414.0), (960.0, 1410.0)]), Press::Even, 9.0),
        (open(&[(1240.0, 1412.0), (1700.0, 1408.0), (2230.0, 1413.0)]), Press::Even, 9.0),
        (
            closed(&[
                (330.0, 1500.0),
                (420.0, 1466.0),
                (600.0, 1470.0),
                (690.0, 1520.0),
                (610.0, 1590.0),
                (400.0, 1586.0),
            ]),
            Press::Swelling,
            7.0,
        ),
        (
            closed(&[
                (980.0, 1520.0),
                (1120.0, 1480.0),
                (1330.0, 1492.0),
                (1390.0, 1560.0),
                (1240.0, 1620.0),
                (1030.0, 1604.0),
            ]),
            Press::Swelling,
            7.0,
        ),
        (
            closed(&[(1700.0, 1490.0), (1860.0, 1466.0), (2020.0, 1500.0), (1990.0, 1580.0), (1790.0, 1592.0)]),
            Press::Swelling,
            7.0,
        ),
        // Steam, and a shine on the pot.
        (open(&[(1850.0, 640.0), (1890.0, 560.0), (1840.0, 480.0), (1890.0, 390.0)]), Press::Swelling, 8.0),
        (open(&[(1930.0, 620.0), (1980.0, 530.0), (1930.0, 440.0), (1990.0, 340.0)]), Press::Swelling, 8.0),
        (open(&[(760.0, 960.0), (730.0, 1000.0), (722.0, 1046.0)]), Press::Flicked, 7.0),
    ];
    let told = |(k, (path, press, width)): (usize, (Path, Press, f64))| Inked {
        samples: record(&path, press, 700 + k as u64),
        width,
    };
    list.into_iter().enumerate().map(told).collect()
}
