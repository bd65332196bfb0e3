//! Styles, scripts and fonts, inside the program.

use crate::error::WebError;
use actix_web::http::header::{CacheControl, CacheDirective};
use actix_web::{HttpResponse, web};

#[derive(rust_embed::RustEmbed)]
#[folder = "assets/"]
struct Assets;

pub async fn asset(path: web::Path<String>) -> Result<HttpResponse, WebError> {
    let file = Assets::get(&path).ok_or(WebError::NotFound)?;
    // Fonts and libraries do not change between releases; our own files do while they are worked on.
    let age = if path.starts_with("own/") { CacheDirective::NoCache } else { CacheDirective::MaxAge(86_400) };
    Ok(HttpResponse::Ok()
        .content_type(file.metadata.mimetype())
        .insert_header(CacheControl(vec![age]))
        .body(file.data.into_owned()))
}
