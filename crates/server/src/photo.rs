//! Pictures as they are kept: upright, no larger than a page shows, and without what a camera wrote beside them.

use std::io::Cursor;

use image::codecs::jpeg::JpegEncoder;
use image::{DynamicImage, ImageDecoder as _, ImageReader, Limits};

/// Longest side of a kept picture [pixels].
const LONGEST: u32 = 1600;
/// Widest and highest picture that is read [pixels].
const MOST_SIDE: u32 = 16_000;
/// Memory that reading one may take [bytes].
const MOST_MEMORY: u64 = 512 * 1024 * 1024;
/// Of 100: where a scratch is still seen.
const QUALITY: u8 = 85;

/// A picture, ready to be kept.
#[derive(Debug)]
pub struct Kept {
    /// JPEG, without metadata.
    pub jpeg: Vec<u8>,
    /// Width and height [pixels].
    pub size: [u32; 2],
}

/// Why a picture isn't kept.
#[derive(Debug, thiserror::Error)]
pub enum PhotoError {
    /// Not a picture, or a damaged one.
    #[error("This is no picture that can be read here. Take a JPEG, PNG or WebP.")]
    Unreadable,
    /// Larger than is read.
    #[error("This picture is too large. Take one of at most 16 000 pixels a side.")]
    TooLarge,
}

/// A kept picture in shades of grey, for what is measured on it.
/// # Errors
/// [`PhotoError`] for what is no picture.
pub fn gray(jpeg: &[u8]) -> Result<image::GrayImage, PhotoError> {
    image::load_from_memory(jpeg)
        .map(DynamicImage::into_luma8)
        .map_err(|_| PhotoError::Unreadable)
}

/// Reads a picture, turns it upright, shrinks it, and writes it anew: place, camera and time that were written
/// beside the pixels stay out.
/// # Errors
/// [`PhotoError`] for what is no picture, or too large a one.
pub fn keep(bytes: &[u8]) -> Result<Kept, PhotoError> {
    let mut reader = ImageReader::new(Cursor::new(bytes))
        .with_guessed_format()
        .map_err(|_| PhotoError::Unreadable)?;
    let mut limits = Limits::default();
    limits.max_image_width = Some(MOST_SIDE);
    limits.max_image_height = Some(MOST_SIDE);
    limits.max_alloc = Some(MOST_MEMORY);
    reader.limits(limits);
    let refused = |e: image::ImageError| match e {
        image::ImageError::Limits(_) => PhotoError::TooLarge,
        _ => PhotoError::Unreadable,
    };
    let mut decoder = reader.into_decoder().map_err(refused)?;
    let upright = decoder.orientation();
    let mut picture = DynamicImage::from_decoder(decoder).map_err(refused)?;
    if let Ok(upright) = upright {
        picture.apply_orientation(upright);
    }
    if picture.width().max(picture.height()) > LONGEST {
        picture = picture.thumbnail(LONGEST, LONGEST);
    }
    let picture = picture.into_rgb8();
    let mut jpeg = Vec::new();
    JpegEncoder::new_with_quality(&mut jpeg, QUALITY)
        .encode_image(&picture)
        .map_err(|_| PhotoError::Unreadable)?;
    Ok(Kept {
        jpeg,
        size: [picture.width(), picture.height()],
    })
}
