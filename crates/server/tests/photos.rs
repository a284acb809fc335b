//! Pictures of a job: upright, shrunk, without the place that a camera writes beside them, marked, taken back.
#![allow(clippy::unwrap_used)]

use std::io::{Cursor, Read as _};

use crate::common::Server;
use image::{ImageFormat, Rgb, RgbImage};
use serde_json::{Value, json};

/// A picture whose left half is red and whose right half is blue.
fn halves(width: u32, height: u32, format: ImageFormat) -> Vec<u8> {
    let picture = RgbImage::from_fn(width, height, |x, _| {
        if x < width / 2 {
            Rgb([220, 20, 20])
        } else {
            Rgb([20, 20, 220])
        }
    });
    let mut bytes = Cursor::new(Vec::new());
    picture.write_to(&mut bytes, format).unwrap();
    bytes.into_inner()
}

/// The same as a camera leaves it: turned by a flag, and with where it was taken. Layout of the segment: Exif 2.3
/// (JEITA CP-3451), section 4.5; written here by hand.
fn as_a_camera_leaves_it(jpeg: &[u8], orientation: u8, place: &str) -> Vec<u8> {
    let mut tiff = b"II*\0\x08\0\0\0".to_vec();
    tiff.extend(2u16.to_le_bytes());
    let text = 8 + 2 + 2 * 12 + 4;
    let length = u32::try_from(place.len()).unwrap();
    // ImageDescription, ASCII.
    tiff.extend([0x0e, 0x01, 2, 0]);
    tiff.extend(length.to_le_bytes());
    tiff.extend(u32::to_le_bytes(text));
    // Orientation, SHORT.
    tiff.extend([0x12, 0x01, 3, 0, 1, 0, 0, 0, orientation, 0, 0, 0]);
    tiff.extend([0; 4]);
    tiff.extend(place.as_bytes());
    let mut segment = b"Exif\0\0".to_vec();
    segment.extend(tiff);
    let mut out = jpeg[..2].to_vec();
    out.extend([0xff, 0xe1]);
    out.extend(u16::try_from(segment.len() + 2).unwrap().to_be_bytes());
    out.extend(segment);
    out.extend(&jpeg[2..]);
    out
}

struct Shop {
    s: Server,
    job: i64,
    _folder: tempfile::TempDir,
}

impl Shop {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let s = Server::serve(folder.path());
        let printer = json!({"name": "Elm", "kind": "bed-slinger", "facts": {}});
        let printer = &s.call("POST", "/api/v1/printers", Some(&printer)).1["id"];
        let job = json!({"printer_id": printer, "replaced": ["nozzle_same"]});
        let job = s.call("POST", "/api/v1/jobs", Some(&job)).1["id"]
            .as_i64()
            .unwrap();
        Self {
            s,
            job,
            _folder: folder,
        }
    }

    fn send(&self, stop: &str, bytes: &[u8]) -> (u16, Value) {
        let url = format!(
            "{}/api/v1/jobs/{}/stops/{stop}/photos?name=tip.jpg",
            self.s.url, self.job
        );
        let mut answer = ureq::post(&url)
            .config()
            .http_status_as_error(false)
            .build()
            .header("Content-Type", "application/octet-stream")
            .send(bytes)
            .unwrap();
        let status = answer.status().as_u16();
        (status, answer.body_mut().read_json().unwrap_or_default())
    }

    fn all(&self) -> Value {
        self.s.get(&format!("/api/v1/jobs/{}/photos", self.job))
    }

    fn bytes(&self, id: &Value) -> Vec<u8> {
        let mut answer = ureq::get(format!("{}/api/v1/photos/{id}", self.s.url))
            .call()
            .unwrap();
        assert_eq!(answer.headers()["content-type"], "image/jpeg");
        let mut bytes = Vec::new();
        answer
            .body_mut()
            .as_reader()
            .read_to_end(&mut bytes)
            .unwrap();
        bytes
    }
}

#[test]
fn a_picture_is_kept_upright_and_without_the_place_where_it_was_taken() {
    let shop = Shop::new();
    let camera =
        as_a_camera_leaves_it(&halves(60, 30, ImageFormat::Jpeg), 6, "N 52 12.345 E 6 7.8");
    let (status, made) = shop.send("baseline", &camera);
    assert_eq!(status, 201, "{made}");
    let all = shop.all();
    assert_eq!(
        (&all[0]["stop"], &all[0]["width"], &all[0]["height"]),
        (&json!("baseline"), &json!(30), &json!(60)),
        "turned a quarter"
    );
    let kept = shop.bytes(&made["id"]);
    let holds = |what: &[u8]| kept.windows(what.len()).any(|w| w == what);
    assert!(!holds(b"Exif") && !holds(b"N 52 12.345"));
    // A quarter clockwise: what was on the left is on top.
    let picture = image::load_from_memory(&kept).unwrap().into_rgb8();
    assert!(picture.get_pixel(15, 5)[0] > 150 && picture.get_pixel(15, 55)[2] > 150);
}

#[test]
fn a_large_picture_is_shrunk_and_other_formats_are_read() {
    let shop = Shop::new();
    for (format, size, kept) in [
        (ImageFormat::Png, (3200, 800), (1600, 400)),
        (ImageFormat::WebP, (80, 40), (80, 40)),
    ] {
        let (status, made) = shop.send("intake", &halves(size.0, size.1, format));
        assert_eq!(status, 201, "{made}");
        let all = shop.all();
        let last = all.as_array().unwrap().last().unwrap().clone();
        assert_eq!(
            (&last["width"], &last["height"]),
            (&json!(kept.0), &json!(kept.1))
        );
        let picture = image::load_from_memory(&shop.bytes(&made["id"])).unwrap();
        assert_eq!((picture.width(), picture.height()), kept);
    }
}

#[test]
fn what_is_no_picture_or_belongs_nowhere_is_refused_kindly() {
    let shop = Shop::new();
    for bad in [
        &b"<svg onload=alert(1)>"[..],
        b"",
        &halves(40, 20, ImageFormat::Jpeg)[..200],
    ] {
        let (status, problem) = shop.send("intake", bad);
        assert_eq!(status, 422, "{problem}");
        assert!(
            problem["detail"]
                .as_str()
                .unwrap()
                .contains("no picture that can be read")
        );
    }
    let (status, _) = shop.send("oven", &halves(4, 4, ImageFormat::Png));
    assert_eq!(status, 404);
    // A header that claims a picture as large as a wall.
    let mut wall = halves(4, 4, ImageFormat::Png);
    wall[16..24].copy_from_slice(&[0, 0, 0x60, 0, 0, 0, 0x60, 0]);
    let (status, problem) = shop.send("intake", &wall);
    assert_eq!(status, 422, "{problem}");
    assert!(shop.all().as_array().unwrap().is_empty());
}

#[test]
fn marks_and_words_are_kept_and_a_picture_is_taken_back() {
    let shop = Shop::new();
    let (_, made) = shop.send("fit.nozzle_same", &halves(40, 20, ImageFormat::Png));
    let path = format!("/api/v1/photos/{}", made["id"]);
    let arrow = json!({"shape": "arrow", "from": [0.1, 0.2], "to": [0.5, 0.5]});
    let words = json!({"caption": "clump at the tip", "marks": [arrow]});
    assert_eq!(shop.s.call("PUT", &path, Some(&words)).0, 204);
    let all = shop.all();
    assert_eq!(
        (&all[0]["caption"], &all[0]["marks"]),
        (&json!("clump at the tip"), &json!([arrow]))
    );
    let outside = json!({"marks": [{"shape": "ring", "from": [0.0, 0.0], "to": [1.2, 0.5]}]});
    let (status, problem) = shop.s.call("PUT", &path, Some(&outside));
    assert_eq!(
        (status, problem["errors"][0]["field"].as_str()),
        (422, Some("marks"))
    );
    assert_eq!(shop.s.call("DELETE", &path, None).0, 204);
    assert_eq!(shop.s.call("GET", &path, None).0, 404);
    assert_eq!(shop.s.call("DELETE", &path, None).0, 404);
    assert!(shop.all().as_array().unwrap().is_empty());
}
