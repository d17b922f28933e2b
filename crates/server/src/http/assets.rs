//! The built front end, shipped inside the binary.

use axum::body::Body;
use axum::http::{StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../../web/dist"]
#[allow_missing = true]
struct Web;

pub(crate) async fn serve(uri: Uri) -> Response {
    let path = uri.path().trim_start_matches('/');
    let (file, lasting) = match Web::get(path) {
        Some(file) if !path.is_empty() => (Some(file), path.starts_with("assets/")),
        _ if path.starts_with("assets/") || path.starts_with("api/") => (None, false),
        // Addresses of views belong to the front end's own router.
        _ => (Web::get("index.html"), false),
    };
    let Some(file) = file else {
        let why = if Web::get("index.html").is_none() {
            "the front end is not built; run `cargo demo`"
        } else {
            "nothing is at this address"
        };
        return (StatusCode::NOT_FOUND, why).into_response();
    };
    let cache = if lasting {
        "public, max-age=31536000, immutable"
    } else {
        "no-cache"
    };
    (
        [
            (header::CONTENT_TYPE, file.metadata.mimetype().to_owned()),
            (header::CACHE_CONTROL, cache.to_owned()),
        ],
        Body::from(file.data),
    )
        .into_response()
}
