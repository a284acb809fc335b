//! What a photo proposes: drawn by hand, pixel by pixel, as the plate lies in the printer and as it doesn't.
#![allow(
    clippy::unwrap_used,
    clippy::cast_precision_loss,
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss
)]

use image::{GrayImage, Luma};
use serde_json::json;
use wattotherm_job::Context;
use wattotherm_job::form::{Measured, PhotoAsk};
use wattotherm_job::photo::{PhotoRefusal, measure_photo};
use wattotherm_job::stations::station_named;
use wattotherm_looks::{STRINGS_IN_PICTURES, strings_score};
use wattotherm_measure::Pen;
use wattotherm_sight::SightError;

const ALL: [[f64; 2]; 4] = [[0.02, 0.02], [0.98, 0.02], [0.98, 0.98], [0.02, 0.98]];

fn ask(measured: Measured) -> PhotoAsk {
    PhotoAsk {
        into: "it".into(),
        says: "it".into(),
        how: "",
        measured,
    }
}

fn drawn(w: u32, h: u32, bright: impl Fn(f64, f64) -> bool) -> GrayImage {
    let mut rng = fastrand::Rng::with_seed(8);
    GrayImage::from_fn(w, h, |x, y| {
        Luma([if bright(f64::from(x), f64::from(y)) {
            180
        } else {
            60
        } + rng.u8(0..20)])
    })
}

/// Combs for X, as they lie: the second nozzle's behind, its pitch wider; its teeth meet at `meets`.
fn combs_x(meets: f64) -> GrayImage {
    drawn(1_200, 800, |x, y| {
        let (pitch, at) = if y > 410.0 {
            (50.0, x - 600.0)
        } else {
            (52.5, x - 600.0 + 2.5 * meets)
        };
        let n = (at / pitch).round();
        n.abs() < 10.5 && (at - n * pitch).abs() < 11.0 && (y - 400.0).abs() > 12.0
    })
}

const COMBS_X: Measured = Measured::Combs {
    teeth: 21,
    more: 0.05,
    lie: false,
};
const COMBS_Y: Measured = Measured::Combs {
    teeth: 21,
    more: 0.05,
    lie: true,
};

fn tooth(photo: &GrayImage, measured: Measured) -> f64 {
    let got = measure_photo(&ask(measured), photo, &ALL, Pen::default()).unwrap();
    got.value.parse().unwrap()
}

#[test]
fn a_comb_says_the_same_from_the_front_and_from_behind() {
    let photo = combs_x(3.4);
    assert!((tooth(&photo, COMBS_X) - 3.4).abs() < 0.3);
    let behind = image::imageops::rotate180(&photo);
    assert!((tooth(&behind, COMBS_X) - 3.4).abs() < 0.3);
    let said = measure_photo(&ask(COMBS_X), &behind, &ALL, Pen::default())
        .unwrap()
        .says;
    assert!(
        said.iter().any(|s| s.contains("from behind the printer")),
        "{said:?}"
    );
}

#[test]
fn combs_for_y_lie_with_the_second_nozzle_s_to_the_right_and_away_is_positive() {
    // Turned so that what was behind is right, what was right is towards the one who looks.
    let photo = image::imageops::rotate90(&combs_x(-2.5));
    assert!((tooth(&photo, COMBS_Y) - 2.5).abs() < 0.3);
    // The combs for X aren't read as those for Y.
    assert!(matches!(
        measure_photo(&ask(COMBS_X), &photo, &ALL, Pen::default()),
        Err(PhotoRefusal::Turned(_))
    ));
}

#[test]
fn lines_are_numbered_from_the_front_of_the_plate() {
    // Eleven lines; all but the third from the front swell in the middle.
    let photo = drawn(900, 900, |x, y| {
        let n = ((870.0 - y) / 75.0).floor();
        let off = (870.0 - y - 75.0 * n - 40.0).abs();
        let swell = if (n - 2.0).abs() < 0.5 { 0.0 } else { 5.0 };
        n >= 0.0 && off < 8.0 + swell * (-((x - 450.0) / 90.0).powi(2)).exp()
    });
    let lines = Measured::EvenLines {
        count: 11,
        pitch_mm: 5.0,
    };
    let got = measure_photo(&ask(lines), &photo, &ALL, Pen::default()).unwrap();
    assert_eq!(got.value, "3");
    assert!(
        got.says[0].starts_with(
            "Line 3, counted from the lower edge of the picture, keeps its width best"
        ),
        "{:?}",
        got.says
    );
    let stood = image::imageops::rotate90(&photo);
    assert!(matches!(
        measure_photo(&ask(lines), &stood, &ALL, Pen::default()),
        Err(PhotoRefusal::Turned(_))
    ));
    // None of even lines is best: the photo doesn't tell.
    let same = drawn(900, 900, |_, y| {
        let n = ((870.0 - y) / 75.0).floor();
        n >= 0.0 && (870.0 - y - 75.0 * n - 40.0).abs() < 8.0
    });
    assert!(matches!(
        measure_photo(&ask(lines), &same, &ALL, Pen::default()),
        Err(PhotoRefusal::Alike(..))
    ));
}

#[test]
fn strings_score_as_the_nearest_reference_picture_either_way_round() {
    let photo = drawn(800, 600, |_, y| {
        (0..4).any(|i| (y - 90.0 - 130.0 * f64::from(i)).abs() < 2.0)
    });
    for (measured, value) in [(Measured::Strings, "2"), (Measured::StringsGood, "2")] {
        let got = measure_photo(&ask(measured), &photo, &ALL, Pen::default()).unwrap();
        assert_eq!(got.value, value);
        assert_eq!(got.drawn.len(), 4);
    }
    for (score, n) in (0_u32..).zip(STRINGS_IN_PICTURES) {
        assert_eq!(strings_score(n as usize), score);
    }
    assert_eq!(strings_score(60), 5);
    // The pictures that a person chooses from are drawn with the same numbers.
    let pictures = std::fs::read_to_string("../../../web/src/ui/StringsPick.vue").unwrap();
    let numbers = STRINGS_IN_PICTURES.map(|n| n.to_string()).join(", ");
    assert!(pictures.contains(&format!("const counts = [{numbers}]")));
}

#[test]
fn what_a_station_measures_on_a_photo_is_a_field_of_its_form() {
    let mut seen = 0;
    for id in [
        "retraction",
        "pressure_advance",
        "offset_xy",
        "print_temp",
        "acceptance",
    ] {
        let station = station_named(id).unwrap();
        let context = Context::default();
        let form = station.form(&station.start(&context), &context);
        assert!(!form.photos.is_empty(), "{id}");
        for photo in &form.photos {
            assert!(
                form.fields().any(|f| f.path == photo.into),
                "{id}: {}",
                photo.into
            );
            seen += 1;
        }
    }
    assert!(seen > 8);
    // A number of lines that can't be meant is measured on no photo.
    let station = station_named("pressure_advance").unwrap();
    let context = Context::default();
    let mut readings = station.start(&context);
    readings["count"] = json!("1e9");
    assert!(station.form(&readings, &context).photos.is_empty());
}

#[test]
fn a_photo_without_anything_is_refused() {
    let plate = drawn(800, 600, |_, _| false);
    let lines = Measured::EvenLines {
        count: 11,
        pitch_mm: 5.0,
    };
    assert!(matches!(
        measure_photo(&ask(lines), &plate, &ALL, Pen::default()),
        Err(PhotoRefusal::Sight(
            SightError::Faint | SightError::Count { .. }
        ))
    ));
}
