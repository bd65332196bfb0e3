//! Whose undo an edit is in: until there are accounts, the person at one browser, known by a cookie that stays when the
//! browser is closed.

use actix_web::body::MessageBody;
use actix_web::cookie::time::Duration;
use actix_web::cookie::{Cookie, SameSite};
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::middleware::Next;
use actix_web::{Error, HttpMessage, HttpRequest};
use legere_core::id::PersonId;
use uuid::Uuid;

const NAME: &str = "legere-person";
/// Browsers keep no cookie for longer than 400 days; each page renews it.
const KEPT: Duration = Duration::days(400);

/// A person who is at a browser for the first time; the answer sets its cookie.
#[derive(Clone, Copy)]
struct New(PersonId);

/// Gives each browser that asks for a page an id of its own.
pub async fn known(
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody>, Error> {
    let page = request.headers().get("accept").and_then(|v| v.to_str().ok()).is_some_and(|a| a.contains("text/html"));
    let known = request.cookie(NAME).and_then(|c| c.value().parse::<PersonId>().ok());
    let person = known.unwrap_or_else(|| PersonId::from_uuid(Uuid::new_v4()));
    if known.is_none() {
        request.extensions_mut().insert(New(person));
    }
    let mut answered = next.call(request).await?;
    if page {
        let cookie = Cookie::build(NAME, person.to_string())
            .path("/")
            .http_only(true)
            .same_site(SameSite::Strict)
            .max_age(KEPT)
            .finish();
        answered.response_mut().add_cookie(&cookie)?;
    }
    Ok(answered)
}

/// The person at the browser that asks; none for a program that keeps no cookies.
pub fn of(request: &HttpRequest) -> Option<PersonId> {
    let known = request.cookie(NAME).and_then(|c| c.value().parse().ok());
    known.or_else(|| {
        let page =
            request.headers().get("accept").and_then(|v| v.to_str().ok()).is_some_and(|a| a.contains("text/html"));
        request.extensions().get::<New>().filter(|_| page).map(|New(person)| *person)
    })
}
