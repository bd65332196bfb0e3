//! What the pages' scripts know of what they are sent: TypeScript's declarations of the views, in `types/wire.d.ts`.

use crate::views::{draft, select, sift, track};
use legere_app::passes::Progress;
use legere_app::preview::Preview;
use legere_app::tends::Tending;
use legere_core::footage::ClipReading;
use std::collections::BTreeMap;
use std::path::Path;
use ts_rs::{Config, TS, TypeVisitor};

/// Declarations by their names.
struct Declared<'a> {
    config: &'a Config,
    all: BTreeMap<String, String>,
}

impl TypeVisitor for Declared<'_> {
    fn visit<T: TS + 'static + ?Sized>(&mut self) {
        // What is declared has a file of its own in the library's eyes; numbers, lists and the like have none.
        if T::output_path().is_some() && !self.all.contains_key(&T::ident(self.config)) {
            let docs = T::docs().unwrap_or_default();
            let declaration = format!("{docs}export {}\n", T::decl(self.config));
            self.all.insert(T::ident(self.config), declaration);
            T::visit_dependencies(self);
        }
    }
}

#[test]
fn what_scripts_know_of_the_wire_is_as_it_is() {
    let config = Config::new().with_large_int("number");
    let mut declared = Declared { config: &config, all: BTreeMap::new() };
    declared.visit::<draft::DraftView>();
    declared.visit::<draft::MusicView>();
    declared.visit::<draft::InsteadView>();
    declared.visit::<draft::WatchView>();
    declared.visit::<draft::DifferencesView>();
    declared.visit::<select::SelectRow>();
    declared.visit::<sift::NarrowedView>();
    declared.visit::<sift::NeedView>();
    declared.visit::<track::TrackView>();
    declared.visit::<ClipReading>();
    declared.visit::<Progress>();
    declared.visit::<Preview>();
    declared.visit::<Tending>();
    let head = "// What the server sends, written by a test of the crate `web`: not to be changed by hand.\n\n";
    let now: String = std::iter::once(head.to_owned()).chain(declared.all.into_values()).collect();
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("types/wire.d.ts");
    let before = std::fs::read_to_string(&file).unwrap_or_default();
    if now != before {
        std::fs::write(&file, now).expect("written");
        panic!(
            "the wire has changed: types/wire.d.ts was written again; see that the scripts still fit (npm run check)"
        );
    }
}
