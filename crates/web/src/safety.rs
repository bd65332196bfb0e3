//! A page of another site cannot act here, and ours loads nothing from elsewhere.

use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::Method;
use actix_web::http::header::{self, HeaderName, HeaderValue};
use actix_web::middleware::Next;
use actix_web::{Error, HttpResponse, web};

/// The names under which this server may be asked.
#[derive(Debug, Clone)]
pub struct Hosts(Vec<String>);

impl Hosts {
    pub fn on_port(port: u16) -> Self {
        Self(["127.0.0.1", "localhost", "[::1]"].iter().map(|h| format!("{h}:{port}")).collect())
    }

    fn has(&self, host: &str) -> bool {
        self.0.iter().any(|h| h == host)
    }
}

const POLICY: &str = "default-src 'self'; img-src 'self' data: blob:; media-src 'self'; object-src 'none'; base-uri 'none'; \
                      form-action 'self'; frame-ancestors 'none'";

/// Refuses foreign hosts (DNS rebinding) and foreign origins, and puts the policy on every answer.
pub async fn guard(
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody>, Error> {
    let allowed = {
        let hosts = request.app_data::<web::Data<Hosts>>();
        let text = |name: HeaderName| request.headers().get(name).and_then(|v| v.to_str().ok());
        let known_host = text(header::HOST).is_some_and(|h| hosts.is_some_and(|hosts| hosts.has(h)));
        let same_origin = match text(header::ORIGIN) {
            None => true,
            Some(origin) => origin.strip_prefix("http://").is_some_and(|o| hosts.is_some_and(|hosts| hosts.has(o))),
        };
        let reads = matches!(*request.method(), Method::GET | Method::HEAD);
        let site = text(HeaderName::from_static("sec-fetch-site"));
        let from_here = reads || site.is_none_or(|s| matches!(s, "same-origin" | "none"));
        known_host && same_origin && from_here
    };
    let mut response = if allowed {
        next.call(request).await?.map_into_left_body()
    } else {
        let refused =
            HttpResponse::Forbidden().body("This request did not come from a page of Legere on this machine.");
        request.into_response(refused).map_into_right_body()
    };
    let headers = response.headers_mut();
    for (name, value) in [
        ("content-security-policy", POLICY),
        ("x-content-type-options", "nosniff"),
        ("referrer-policy", "same-origin"),
        ("cross-origin-resource-policy", "same-origin"),
    ] {
        headers.insert(HeaderName::from_static(name), HeaderValue::from_static(value));
    }
    Ok(response)
}
