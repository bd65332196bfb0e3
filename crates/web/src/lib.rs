//! The pages: Actix Web routes, view models, Askama templates and the files that ship with them.
//!
//! A handler is extractors, one call of [`legere_app`] and one answer. Errors become statuses in one table (`error`).

mod assets;
mod error;
mod extract;
mod pages;
mod person;
mod safety;
mod views;

use actix_web::dev::Server;
use actix_web::middleware::{Compress, from_fn};
use actix_web::{HttpServer, web};
use legere_app::App;
use std::net::TcpListener;

/// Serves the pages on a socket that is already bound, on loopback.
pub fn serve(app: App, listener: TcpListener, workers: usize) -> std::io::Result<Server> {
    let hosts = safety::Hosts::on_port(listener.local_addr()?.port());
    let app = web::Data::new(app);
    let hosts = web::Data::new(hosts);
    let server = HttpServer::new(move || {
        actix_web::App::new()
            .app_data(app.clone())
            .app_data(hosts.clone())
            .wrap(Compress::default())
            .wrap(from_fn(error::error_page))
            .wrap(from_fn(person::known))
            .wrap(from_fn(safety::guard))
            .wrap(tracing_actix_web::TracingLogger::default())
            .configure(pages::routes)
    })
    .workers(workers)
    // Open event streams must not hold up the end.
    .shutdown_timeout(1)
    .listen(listener)?;
    Ok(server.run())
}
