//! Pictures and files beside an entry: what they are is seen by their content, and where a picture
//! was taken is taken out of it.

use super::when::Local;
use super::{text, told};
use crate::bodies::log::LogTold;
use crate::error::ApiError;
use ash_pond_store::{LARGEST_FILE, Store};
use axum::http::StatusCode;
use image::metadata::Orientation;
use image::{DynamicImage, ImageDecoder, ImageFormat, ImageReader, Limits};
use img_parts::{DynImage, ImageEXIF, ImageICC};
use std::io::Cursor;

/// The longer side of a small picture, pixels.
const SMALL: u32 = 360;
/// The longer side of a picture that is looked into, pixels: no camera's is longer.
const LARGEST_SIDE: u32 = 20_000;
/// Memory that a picture may take while it is looked into, bytes.
const MEMORY: u64 = 400 << 20;

/// What is told where a file is larger than is kept.
pub(crate) fn too_large() -> ApiError {
    let detail = format!(
        "the file is larger than {} MB, or came only in part; make it smaller",
        LARGEST_FILE >> 20
    );
    ApiError::new(StatusCode::PAYLOAD_TOO_LARGE, "large", detail)
}

/// What a file is by its content, with what is kept of it and a small picture.
struct Seen {
    kind: &'static str,
    bytes: Vec<u8>,
    small: Option<Vec<u8>>,
}

fn seen(bytes: &[u8]) -> Result<Seen, ApiError> {
    let format = match bytes {
        [0xff, 0xd8, 0xff, ..] => Some((ImageFormat::Jpeg, "image/jpeg")),
        [0x89, b'P', b'N', b'G', ..] => Some((ImageFormat::Png, "image/png")),
        [
            b'R',
            b'I',
            b'F',
            b'F',
            _,
            _,
            _,
            _,
            b'W',
            b'E',
            b'B',
            b'P',
            ..,
        ] => Some((ImageFormat::WebP, "image/webp")),
        _ => None,
    };
    if let Some((format, kind)) = format {
        return picture(bytes, format, kind);
    }
    if bytes.starts_with(b"%PDF-") {
        return Ok(Seen {
            kind: "application/pdf",
            bytes: bytes.to_vec(),
            small: None,
        });
    }
    let is_text = std::str::from_utf8(bytes).is_ok_and(|it| !it.contains('\u{0}'));
    if is_text && !bytes.is_empty() {
        return Ok(Seen {
            kind: "text/plain; charset=utf-8",
            bytes: bytes.to_vec(),
            small: None,
        });
    }
    Err(ApiError::at(
        "",
        "the file is no picture (JPEG, PNG, WebP), no PDF and no text by its content; nothing was \
        kept",
    ))
}

/// A picture without what its camera wrote of the place, turned as it was held.
fn picture(bytes: &[u8], format: ImageFormat, kind: &'static str) -> Result<Seen, ApiError> {
    let wrong = |why: String| {
        ApiError::at(
            "",
            format!("the picture cannot be read ({why}); nothing was kept"),
        )
    };
    let mut reader = ImageReader::with_format(Cursor::new(bytes), format);
    let mut limits = Limits::default();
    limits.max_image_width = Some(LARGEST_SIDE);
    limits.max_image_height = Some(LARGEST_SIDE);
    limits.max_alloc = Some(MEMORY);
    reader.limits(limits);
    let mut decoder = reader
        .into_decoder()
        .map_err(|error| wrong(error.to_string()))?;
    let turned = decoder.orientation().unwrap_or(Orientation::NoTransforms);
    let mut whole =
        DynamicImage::from_decoder(decoder).map_err(|error| wrong(error.to_string()))?;
    whole.apply_orientation(turned);
    let small =
        jpeg(&whole.thumbnail(SMALL, SMALL), 80).map_err(|error| wrong(error.to_string()))?;
    let kept = if turned == Orientation::NoTransforms {
        // As it came, without what was written into it beside the picture.
        let found = DynImage::from_bytes(bytes.to_vec().into())
            .map_err(|error| wrong(error.to_string()))?;
        let mut found = found.ok_or_else(|| wrong("it holds nothing".to_owned()))?;
        found.set_exif(None);
        let colours = found.icc_profile();
        if let DynImage::Jpeg(it) = &mut found {
            // Comments and the segments of applications: places stand in several of them.
            it.segments_mut()
                .retain(|segment| !matches!(segment.marker(), 0xe1..=0xef | 0xfe));
        }
        if let DynImage::Png(it) = &mut found {
            it.chunks_mut()
                .retain(|chunk| ![*b"tEXt", *b"iTXt", *b"zTXt", *b"eXIf"].contains(&chunk.kind()));
        }
        found.set_icc_profile(colours);
        found.encoder().bytes().to_vec()
    } else {
        jpeg(&whole, 90).map_err(|error| wrong(error.to_string()))?
    };
    let kind = if turned == Orientation::NoTransforms {
        kind
    } else {
        "image/jpeg"
    };
    Ok(Seen {
        kind,
        bytes: kept,
        small: Some(small),
    })
}

fn jpeg(it: &DynamicImage, quality: u8) -> Result<Vec<u8>, image::ImageError> {
    let mut bytes = Vec::new();
    let encoder = image::codecs::jpeg::JpegEncoder::new_with_quality(&mut bytes, quality);
    it.to_rgb8().write_with_encoder(encoder)?;
    Ok(bytes)
}

/// Puts a file beside an entry, and tells the entry.
pub(crate) fn add_file(
    store: &Store,
    site: &str,
    entry: i64,
    name: Option<&str>,
    bytes: &[u8],
) -> Result<LogTold, ApiError> {
    if bytes.is_empty() {
        return Err(ApiError::at("", "the file is empty; nothing was kept"));
    }
    let name = text(
        "name",
        name.unwrap_or("file")
            .rsplit(['/', '\\'])
            .next()
            .unwrap_or("file"),
        120,
    )?;
    let name = if name.is_empty() {
        "file".to_owned()
    } else {
        name
    };
    // It is looked into only where it would be kept.
    store.log_entry(site, entry)?;
    let seen = seen(bytes)?;
    store.add_log_file(
        site,
        entry,
        (&name, seen.kind),
        &seen.bytes,
        seen.small.as_deref(),
    )?;
    let plan = store.plan(site)?.plan;
    let row = store.log_entry(site, entry)?;
    Ok(LogTold {
        entries: vec![told(&plan, &Local::of(&plan), row)],
        next: None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shot() -> DynamicImage {
        DynamicImage::ImageRgb8(image::RgbImage::from_fn(640, 400, |x, y| {
            let part = |it: u32| u8::try_from(it % 256).unwrap_or_default();
            image::Rgb([part(x), part(y), part(x + y)])
        }))
    }

    /// A picture that a camera took upright, with its place written into it.
    fn with_place(turned: u8) -> Vec<u8> {
        let plain = jpeg(&shot(), 90).expect("it is a picture");
        // A directory of one entry, how it was held, and a word as a camera's notes hold it.
        let mut exif = b"II*\0\x08\0\0\0\x01\0\x12\x01\x03\0\x01\0\0\0".to_vec();
        exif.extend([turned, 0, 0, 0, 0, 0, 0, 0]);
        exif.extend(b"GPSLatitude 62.1");
        let mut it = DynImage::from_bytes(plain.into())
            .expect("it is one")
            .expect("it is one");
        it.set_exif(Some(exif.into()));
        it.encoder().bytes().to_vec()
    }

    fn holds(bytes: &[u8], words: &[u8]) -> bool {
        bytes.windows(words.len()).any(|it| it == words)
    }

    #[test]
    fn where_a_picture_was_taken_is_taken_out_of_it_and_it_stays_upright() {
        let given = with_place(1);
        assert!(holds(&given, b"GPSLatitude"));
        let kept = seen(&given).unwrap();
        assert!(!holds(&kept.bytes, b"GPSLatitude") && kept.kind == "image/jpeg");
        let whole = image::load_from_memory(&kept.bytes).unwrap();
        assert_eq!((whole.width(), whole.height()), (640, 400));
        let small = image::load_from_memory(&kept.small.unwrap()).unwrap();
        assert_eq!((small.width(), small.height()), (360, 225));
        // Held upright it is turned, as nothing says any more how it was held.
        let kept = seen(&with_place(6)).unwrap();
        let whole = image::load_from_memory(&kept.bytes).unwrap();
        assert_eq!((whole.width(), whole.height()), (400, 640));
        assert!(!holds(&kept.bytes, b"GPSLatitude"));
    }

    #[test]
    fn what_is_no_picture_is_seen_by_its_content() {
        assert_eq!(seen(b"%PDF-1.7 and so on").unwrap().kind, "application/pdf");
        assert_eq!(
            seen("Notiz über die Pumpe".as_bytes()).unwrap().kind,
            "text/plain; charset=utf-8"
        );
        for wrong in [
            &b"\x7fELF\x02\x01\x01\0\0"[..],
            b"MZ\x90\0",
            b"\xff\xd8\xff\xe0 and then nothing",
            b"\x89PNG\r\n\x1a\n",
        ] {
            assert!(seen(wrong).is_err());
        }
        // A picture that says it is larger than any is not made room for.
        let mut huge = Vec::new();
        shot()
            .write_to(&mut Cursor::new(&mut huge), ImageFormat::Png)
            .unwrap();
        huge[16..20].copy_from_slice(&200_000_u32.to_be_bytes());
        assert!(seen(&huge).is_err());
    }
}
