//! A photo of twelve million pixels, measured: aim one second, its JPEG read included.
#![allow(
    clippy::cast_possible_truncation,
    clippy::cast_precision_loss,
    clippy::cast_sign_loss,
    clippy::unwrap_used
)]

use image::codecs::jpeg::JpegEncoder;
use image::{ExtendedColorType, GrayImage, ImageFormat, Luma};
use wattotherm_sight::{read_combs, read_lines, read_strings};

const SIZE: [u32; 2] = [4_000, 3_000];
const ALL: [[f64; 2]; 4] = [[0.05, 0.05], [0.95, 0.05], [0.95, 0.95], [0.05, 0.95]];

fn main() {
    divan::main();
}

fn photo(bright: impl Fn(f64, f64) -> bool) -> Vec<u8> {
    let mut rng = fastrand::Rng::with_seed(4);
    let picture = GrayImage::from_fn(SIZE[0], SIZE[1], |x, y| {
        let on = bright(f64::from(x), f64::from(y));
        Luma([if on { 190 } else { 70 } + rng.u8(0..14)])
    });
    let mut jpeg = Vec::new();
    JpegEncoder::new_with_quality(&mut jpeg, 85)
        .encode(picture.as_raw(), SIZE[0], SIZE[1], ExtendedColorType::L8)
        .unwrap();
    jpeg
}

fn read(jpeg: &[u8]) -> GrayImage {
    image::load_from_memory_with_format(jpeg, ImageFormat::Jpeg)
        .unwrap()
        .into_luma8()
}

#[divan::bench(sample_count = 8)]
fn strings_of_twelve_million_pixels(b: divan::Bencher<'_, '_>) {
    let jpeg =
        photo(|x, y| (0..6).any(|i| (y - 500.0 - 400.0 * f64::from(i) - x / 60.0).abs() < 4.0));
    assert_eq!(read_strings(&read(&jpeg), &ALL).unwrap().count, 6);
    b.bench(|| read_strings(&read(&jpeg), &ALL).unwrap());
}

#[divan::bench(sample_count = 8)]
fn lines_of_twelve_million_pixels(b: divan::Bencher<'_, '_>) {
    let jpeg = photo(|_, y| (0..21).any(|i| (y - 300.0 - 120.0 * f64::from(i)).abs() < 6.0));
    b.bench(|| read_lines(&read(&jpeg), &ALL, 21, 5.0).unwrap());
}

#[divan::bench(sample_count = 8)]
fn combs_of_twelve_million_pixels(b: divan::Bencher<'_, '_>) {
    let jpeg = photo(|x, y| {
        let pitch = if y < 1_500.0 { 150.0 } else { 157.5 };
        let n = ((x - 2_000.0) / pitch).round();
        n.abs() < 10.5 && (x - 2_000.0 - n * pitch).abs() < 33.0
    });
    b.bench(|| read_combs(&read(&jpeg), &ALL, 21, 0.05).unwrap());
}
