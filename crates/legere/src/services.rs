//! Where the data is: the database, the shelf and the media folders put together.

use crate::{DataOptions, MainError, privileges};
use legere_app::App;
use legere_media::roots::{Root, Roots};
use legere_media::shelf::{Budget, Shelf};
use legere_store::Store;
use legere_store::cluster::{Cluster, Durability};
use std::path::PathBuf;

/// The database server, when it is our own. Dropped last, after everything that speaks to it.
pub struct Services {
    url: String,
    _cluster: Option<Cluster>,
}

impl Services {
    /// Becomes an ordinary user first; must be called before any thread is started.
    pub fn open(place: &DataOptions) -> Result<Self, MainError> {
        privileges::drop_with_data(&place.data)?;
        std::fs::create_dir_all(&place.data).map_err(MainError::Data)?;
        Ok(if let Some(url) = &place.database {
            Self { url: url.clone(), _cluster: None }
        } else {
            let cluster = Cluster::start(&place.data, Durability::Safe)?;
            Self { url: cluster.url(), _cluster: Some(cluster) }
        })
    }

    pub fn url(&self) -> &str {
        &self.url
    }

    pub async fn app(&self, place: &DataOptions, media: &[Root], parents: Vec<PathBuf>) -> Result<App, MainError> {
        let roots = Roots::new(media.to_vec())?.with_parents(parents);
        let store = Store::open(&self.url).await?;
        let shelf = Shelf::open(&place.data.join("shelf")).map_err(MainError::Data)?;
        let shelf = match place.shelf_gigabytes {
            Some(gigabytes) => {
                let budget = Budget { most: gigabytes << 30, ..shelf.budget() };
                shelf.with_budget(budget)
            }
            None => shelf,
        };
        let shelf = shelf.with_light_width(place.light_width);
        shelf.sweep();
        Ok(App::new(store, shelf, roots))
    }
}

pub fn runtime() -> Result<tokio::runtime::Runtime, MainError> {
    tokio::runtime::Builder::new_multi_thread().enable_all().build().map_err(MainError::Server)
}
