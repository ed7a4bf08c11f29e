//! A cell in memory, ready to compute with.

use std::collections::HashMap;
use std::sync::Arc;

use selvik_core::mesh::{DEFAULT_FEATURE_ANGLE, Surface, feature_edges};
use selvik_core::program::Path;
use selvik_cell::document::CellDocument;
use selvik_formats::PackageFiles;
use selvik_cell::Workcell;
use selvik_formats::FormatError;
use selvik_store::StoredCell;
use uuid::Uuid;

use crate::App;
use crate::error::Problem;

/// A cell as it was at one revision.
pub struct OpenCell {
    pub revision: i64,
    pub workcell: Workcell,
    /// The path of the run plan, or why there is none.
    pub path: Result<Path, String>,
    pub files: Arc<PackageFiles>,
    /// Changes with the contents of the files.
    files_hash: String,
    /// For each body the name under which its mesh is served.
    pub mesh_names: Vec<String>,
    /// Bodies by that name; several may share one.
    meshes: HashMap<String, Arc<Surface>>,
    /// Changes with everything a sweep depends on, and with nothing else.
    pub fingerprint: String,
}

impl OpenCell {
    /// Reads a stored cell.
    ///
    /// # Errors
    /// [`FormatError`] when what is stored can't be read.
    pub fn new(stored: StoredCell) -> Result<Self, FormatError> {
        Self::built_on(&[], stored)
    }

    /// Reads a stored cell; geometry that one of `others` has read already is taken from there.
    ///
    /// # Errors
    /// [`FormatError`] when what is stored can't be read.
    pub fn built_on(others: &[&Workcell], stored: StoredCell) -> Result<Self, FormatError> {
        let workcell = Workcell::built_on(others, stored.document, &stored.files)?;
        let files_hash = files_hash(&stored.files);
        Ok(Self::of(stored.revision, workcell, (Arc::new(stored.files), files_hash), &HashMap::new()))
    }

    /// The cell after a change that left `workcell`, and after `added` files.
    pub fn revised(&self, revision: i64, workcell: Workcell, added: &PackageFiles) -> Self {
        let files = if added.is_empty() {
            (Arc::clone(&self.files), self.files_hash.clone())
        } else {
            let mut files = (*self.files).clone();
            files.extend(added);
            let hash = files_hash(&files);
            (Arc::new(files), hash)
        };
        Self::of(revision, workcell, files, &self.meshes)
    }

    fn of(
        revision: i64,
        workcell: Workcell,
        (files, files_hash): (Arc<PackageFiles>, String),
        known: &HashMap<String, Arc<Surface>>,
    ) -> Self {
        let path = workcell.path().map_err(|e| e.to_string());
        let mut names: HashMap<*const Surface, String> =
            known.iter().map(|(name, surface)| (Arc::as_ptr(surface), name.clone())).collect();
        let mut meshes = HashMap::new();
        let mesh_names = workcell
            .assembly
            .bodies()
            .iter()
            .map(|body| {
                let name = names.entry(Arc::as_ptr(&body.surface)).or_insert_with(|| hash_of(&body.surface));
                meshes.entry(name.clone()).or_insert_with(|| Arc::clone(&body.surface));
                name.clone()
            })
            .collect();
        let fingerprint = fingerprint(&workcell.document, &files_hash);
        Self { revision, workcell, path, files, files_hash, mesh_names, meshes, fingerprint }
    }

    /// The mesh called `name` as it is drawn: little-endian counts of vertices, triangles and edges
    /// (u32), then vertices (3 × f32, m), triangles (3 × u32) and feature edges (2 × u32).
    pub fn drawn(&self, name: &str) -> Option<Vec<u8>> {
        let mesh = self.meshes.get(name)?.mesh();
        let edges = feature_edges(mesh, DEFAULT_FEATURE_ANGLE);
        let mut bytes = Vec::new();
        for count in [mesh.vertices().len(), mesh.triangles().len(), edges.len()] {
            bytes.extend((count as u32).to_le_bytes());
        }
        bytes.extend(
            mesh.vertices().iter().flat_map(|v| [v.x, v.y, v.z]).flat_map(|x| (x as f32).to_le_bytes()),
        );
        bytes.extend(mesh.triangles().iter().flatten().flat_map(|i| i.to_le_bytes()));
        bytes.extend(edges.iter().flatten().flat_map(|i| i.to_le_bytes()));
        Some(bytes)
    }

    /// All meshes of at most `most` triangles, one after the other: the name (64 letters), the length in
    /// bytes (u32) and the mesh as [`drawn`](Self::drawn) gives it.
    pub fn drawn_small(&self, most: usize) -> Vec<u8> {
        let mut bytes = Vec::new();
        for (name, surface) in &self.meshes {
            if surface.mesh().triangles().len() > most {
                continue;
            }
            let mesh = self.drawn(name).expect("its own name");
            bytes.extend(name.as_bytes());
            bytes.extend((mesh.len() as u32).to_le_bytes());
            bytes.extend(mesh);
        }
        bytes
    }

    /// The path, or the problem that says why there is none.
    pub fn path(&self) -> Result<&Path, Problem> {
        self.path.as_ref().map_err(|reason| Problem::refused(format!("the run plan can't be run: {reason}")))
    }

    /// The joint vector at `time` (s), or at rest.
    pub fn joints_at(&self, time: Option<f64>) -> Vec<f64> {
        match (&self.path, time) {
            (Ok(path), Some(time)) => path.at(time),
            (Ok(path), None) => path.at(0.0),
            _ => self.workcell.rest.clone(),
        }
    }
}

impl App {
    /// The cell at its newest revision.
    pub(crate) async fn cell(&self, id: Uuid) -> Result<Arc<OpenCell>, Problem> {
        if let Some(cell) = self.open.lock().expect("not poisoned").get(&id) {
            return Ok(Arc::clone(cell));
        }
        self.reopen(id).await
    }

    /// Reads the cell anew from the database.
    pub(crate) async fn reopen(&self, id: Uuid) -> Result<Arc<OpenCell>, Problem> {
        let stored = self.store.load(id).await?;
        let cell = tokio::task::spawn_blocking(|| OpenCell::new(stored)).await??;
        let cell = Arc::new(cell);
        let mut open = self.open.lock().expect("not poisoned");
        let newest = open.entry(id).or_insert_with(|| Arc::clone(&cell));
        if newest.revision < cell.revision {
            *newest = Arc::clone(&cell);
        }
        Ok(Arc::clone(newest))
    }

    /// Takes a change into memory, with the files it brought. What does not move bodies or rules keeps what
    /// is computed; geometry is read only where it is new, or in `also`.
    pub(crate) async fn follow(
        &self,
        id: Uuid,
        before: &Arc<OpenCell>,
        change: Change,
    ) -> Result<Arc<OpenCell>, Problem> {
        let before = Arc::clone(before);
        let cell = tokio::task::spawn_blocking(move || -> Result<_, FormatError> {
            let Change { revision, document, added, also } = change;
            if only_views_differ(&before.workcell.document, &document) {
                return Ok(OpenCell {
                    revision,
                    workcell: Workcell { document, ..before.workcell.clone() },
                    path: before.path.clone(),
                    files: Arc::clone(&before.files),
                    files_hash: before.files_hash.clone(),
                    mesh_names: before.mesh_names.clone(),
                    meshes: before.meshes.clone(),
                    fingerprint: before.fingerprint.clone(),
                });
            }
            let mut known = vec![&before.workcell];
            known.extend(also.as_deref());
            let mut files = (*before.files).clone();
            files.extend(&added);
            let workcell = Workcell::built_on(&known, document, &files)?;
            Ok(before.revised(revision, workcell, &added))
        });
        let cell = Arc::new(cell.await??);
        let mut open = self.open.lock().expect("not poisoned");
        let newest = open.entry(id).or_insert_with(|| Arc::clone(&cell));
        if newest.revision < cell.revision {
            *newest = Arc::clone(&cell);
        }
        Ok(cell)
    }
}

/// A stored change of a cell.
pub struct Change {
    pub revision: i64,
    pub document: CellDocument,
    /// Files it brought.
    pub added: PackageFiles,
    /// A cell that has read some of its geometry already.
    pub also: Option<Arc<Workcell>>,
}

/// Whether two documents are alike but for their views.
pub fn only_views_differ(a: &CellDocument, b: &CellDocument) -> bool {
    without_views(a) == without_views(b)
}

/// What is left of a document when nothing is said of how it is looked at or what people remember of it.
fn without_views(document: &CellDocument) -> CellDocument {
    let mut document = CellDocument {
        name: String::new(),
        views: Vec::new(),
        visibility_sets: Vec::new(),
        opening_view: None,
        tours: Vec::new(),
        ..document.clone()
    };
    for item in &mut document.items {
        item.colour = None;
        item.locked = false;
        item.notes = None;
    }
    document
}

fn hash_of(surface: &Surface) -> String {
    let mut hash = blake3::Hasher::new();
    for v in surface.mesh().vertices() {
        hash.update([v.x, v.y, v.z].map(f64::to_le_bytes).as_flattened());
    }
    for t in surface.mesh().triangles() {
        hash.update(t.map(u32::to_le_bytes).as_flattened());
    }
    hash.finalize().to_string()
}

/// Raised when the same cell may come to other findings than before.
const CERTIFICATE: &str = "certificate 2";

fn fingerprint(document: &CellDocument, files_hash: &str) -> String {
    let mut hash = blake3::Hasher::new();
    hash.update(CERTIFICATE.as_bytes());
    hash.update(&serde_json::to_vec(&without_views(document)).expect("plain data"));
    hash.update(files_hash.as_bytes());
    hash.finalize().to_string()
}

fn files_hash(files: &PackageFiles) -> String {
    let mut hash = blake3::Hasher::new();
    for (name, content) in files.iter() {
        hash.update(name.as_bytes());
        hash.update(content);
    }
    hash.finalize().to_string()
}
