//! The pages: Actix Web routes, view models, Askama templates and the files that ship with them.
//!
//! A handler takes its arguments apart, makes one call to the [`desk`] and shows the answer. The desk joins store,
//! media and core, and knows nothing of requests, so workers use it as well.

mod assets;
pub mod desk;
mod error;
mod extract;
mod pages;
mod safety;
mod text;
mod views;

pub use desk::Desk;

use actix_web::dev::Server;
use actix_web::middleware::{Compress, from_fn};
use actix_web::{App, HttpServer, web};
use std::net::TcpListener;

/// Serves the pages on a socket that is already bound, on loopback.
pub fn serve(desk: Desk, listener: TcpListener, workers: usize) -> std::io::Result<Server> {
    let hosts = safety::Hosts::on_port(listener.local_addr()?.port());
    let desk = web::Data::new(desk);
    let hosts = web::Data::new(hosts);
    let server = HttpServer::new(move || {
        App::new()
            .app_data(desk.clone())
            .app_data(hosts.clone())
            .wrap(Compress::default())
            .wrap(from_fn(error::error_page))
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
