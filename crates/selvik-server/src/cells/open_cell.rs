//! A cell in memory, ready to compute with.

use std::collections::HashMap;
use std::sync::{Arc, OnceLock};

use selvik_cell::Workcell;
use selvik_cell::document::CellDocument;
use selvik_cell::fingerprint::{
    files_hash, fingerprint, moves_alike, names_hash, only_views_differ,
};
use selvik_core::clearance::{Known, Pair, Progress};
use selvik_core::mesh::{DEFAULT_FEATURE_ANGLE, Surface, feature_edges};
use selvik_core::program::{Path, Planned, ProgramError};
use selvik_core::robot::Moment;
use selvik_core::spatial::Pose;
use selvik_formats::{FormatError, PackageFiles};
use selvik_store::StoredCell;

use crate::error::Problem;

/// What a triangle takes with its share of vertices, edges and the tree above it (measured: 190 to 230 bytes).
const BYTES_A_TRIANGLE: usize = 220;

/// A cell as it was at one revision.
pub struct OpenCell {
    pub revision: i64,
    pub workcell: Workcell,
    /// The path of the run plan as far as it can be run: to be looked at.
    pub shown: Arc<Path>,
    /// Why some of it can't be run; nothing is certified then.
    pub faults: Vec<ProgramError>,
    /// What its moves came to, for the next edit.
    planned: Arc<Planned>,
    pub files: Arc<PackageFiles>,
    /// Changes with the contents of the files.
    files_hash: String,
    /// For each body the name under which its mesh is served.
    pub mesh_names: Vec<String>,
    /// Bodies by that name; several may share one.
    meshes: HashMap<String, Arc<Surface>>,
    /// Changes with everything a sweep depends on, and with nothing else.
    pub fingerprint: String,
    /// Changes with what people call the things that findings speak of.
    pub names: String,
    /// What the rules come to, once somebody has asked.
    pairs: OnceLock<Vec<Pair>>,
    /// What sweeps of this and earlier states have found.
    pub known: Arc<Known>,
    /// Finds that out where no sweep has yet; stopped for good once one begins here.
    pub finding_out: Arc<Progress>,
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
        let files_hash = files_hash(&stored.files)?;
        Ok(Self::of(
            stored.revision,
            workcell,
            (Arc::new(stored.files), files_hash),
            &HashMap::new(),
            Planned::default(),
        ))
    }

    /// The cell at its next revision, after a change that left `document` and added files. What does not move bodies or
    /// rules keeps what is computed; geometry is read only where neither this cell nor `also` has read it.
    ///
    /// # Errors
    /// [`FormatError`] when the change makes no sense.
    pub fn next(
        &self,
        document: CellDocument,
        added: &PackageFiles,
        also: Option<&Workcell>,
    ) -> Result<Self, FormatError> {
        if added.is_empty() && only_views_differ(&self.workcell.document, &document) {
            self.workcell.check_views(&document)?;
            let names = names_hash(&document);
            return Ok(Self {
                revision: self.revision + 1,
                workcell: self.workcell.looked_at(document),
                shown: Arc::clone(&self.shown),
                faults: self.faults.clone(),
                planned: Arc::clone(&self.planned),
                files: Arc::clone(&self.files),
                files_hash: self.files_hash.clone(),
                mesh_names: self.mesh_names.clone(),
                meshes: self.meshes.clone(),
                fingerprint: self.fingerprint.clone(),
                names,
                pairs: self.pairs.clone(),
                known: Arc::clone(&self.known),
                finding_out: Arc::clone(&self.finding_out),
            });
        }
        let files = if added.is_empty() {
            (Arc::clone(&self.files), self.files_hash.clone())
        } else {
            let mut files = (*self.files).clone();
            files.extend(added);
            let hash = files_hash(&files)?;
            (Arc::new(files), hash)
        };
        let known: Vec<&Workcell> = std::iter::once(&self.workcell).chain(also).collect();
        let workcell = Workcell::built_on(&known, document, &files.0)?;
        // What moves come to depends on the items alone, and on where they begin.
        let (before, after) = (&self.workcell.document, &workcell.document);
        let same = added.is_empty() && moves_alike(before, after);
        let planned = if same {
            (*self.planned).clone()
        } else {
            Planned::default()
        };
        let revision = self.revision + 1;
        Ok(Self {
            known: Arc::clone(&self.known),
            finding_out: Arc::clone(&self.finding_out),
            ..Self::of(revision, workcell, files, &self.meshes, planned)
        })
    }

    /// What it holds in memory, KiB: files as they came, meshes with their trees.
    pub fn weight_kib(&self) -> u32 {
        let files = self.files.held() as usize;
        let triangles: usize = self
            .meshes
            .values()
            .map(|s| s.mesh().triangles().len())
            .sum();
        u32::try_from((files + triangles * BYTES_A_TRIANGLE) >> 10)
            .unwrap_or(u32::MAX)
            .max(1)
    }

    fn of(
        revision: i64,
        workcell: Workcell,
        (files, files_hash): (Arc<PackageFiles>, String),
        known: &HashMap<String, Arc<Surface>>,
        mut planned: Planned,
    ) -> Self {
        let ((shown, faults), fingerprint) = rayon::join(
            || workcell.path_as_far_as_it_goes(&mut planned),
            || fingerprint(&workcell.document, &files_hash),
        );
        let mut names: HashMap<*const Surface, String> = known
            .iter()
            .map(|(name, surface)| (Arc::as_ptr(surface), name.clone()))
            .collect();
        let mut meshes = HashMap::new();
        let mesh_names = workcell
            .assembly
            .bodies()
            .iter()
            .map(|body| {
                let name = names
                    .entry(Arc::as_ptr(&body.surface))
                    .or_insert_with(|| hash_of(&body.surface));
                meshes
                    .entry(name.clone())
                    .or_insert_with(|| Arc::clone(&body.surface));
                name.clone()
            })
            .collect();
        let names = names_hash(&workcell.document);
        Self {
            revision,
            workcell,
            shown: Arc::new(shown),
            faults,
            planned: Arc::new(planned),
            files,
            files_hash,
            mesh_names,
            meshes,
            fingerprint,
            names,
            pairs: OnceLock::new(),
            known: Arc::default(),
            finding_out: Arc::default(),
        }
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
            mesh.vertices()
                .iter()
                .flat_map(|v| [v.x, v.y, v.z])
                .flat_map(|x| (x as f32).to_le_bytes()),
        );
        bytes.extend(
            mesh.triangles()
                .iter()
                .flatten()
                .flat_map(|i| i.to_le_bytes()),
        );
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

    /// The pairs under a rule, those that hang differently at times once for each.
    pub fn pairs(&self) -> &[Pair] {
        let workcell = &self.workcell;
        self.pairs
            .get_or_init(|| workcell.rules.scope(&workcell.assembly, &self.shown).pairs)
    }

    /// The pairs that count at `time` (s), or at rest.
    pub fn pairs_at(&self, time: Option<f64>) -> Vec<Pair> {
        let (assembly, path) = (&self.workcell.assembly, &self.shown);
        let counts = |pair: &&Pair| pair.counts_at(assembly, path, time.unwrap_or(0.0));
        self.pairs().iter().filter(counts).copied().collect()
    }

    /// The path, or the problem that says why there is none.
    pub fn path(&self) -> Result<&Path, Problem> {
        match self.faults.first() {
            None => Ok(&self.shown),
            Some(fault) => Err(Problem::refused(format!(
                "the run plan can't be run: {fault}"
            ))),
        }
    }

    /// The cell at `time` (s), or at rest.
    pub fn moment_at(&self, time: Option<f64>) -> Moment {
        let time = time.unwrap_or(0.0);
        self.shown.moment(&self.workcell.assembly, time)
    }

    /// World poses of all coordinate systems at `time` (s), or at rest.
    pub fn poses_at(&self, time: Option<f64>) -> Vec<Pose> {
        self.moment_at(time).poses(&self.workcell.assembly)
    }
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
