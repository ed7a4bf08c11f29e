//! The tables, as the migrations make them.
#![allow(missing_docs)]

diesel::table! {
    cells (id) {
        id -> Uuid,
        name -> Text,
        revision -> BigInt,
        created_at -> Timestamptz,
        changed_at -> Timestamptz,
        opened_at -> Nullable<Timestamptz>,
        binned_at -> Nullable<Timestamptz>,
        thumbnail -> Nullable<Binary>,
        fingerprint -> Nullable<Text>,
    }
}

diesel::table! {
    entries (cell_id, kind, key) {
        cell_id -> Uuid,
        kind -> Text,
        key -> Text,
        position -> Integer,
        body -> Jsonb,
    }
}

diesel::table! {
    assets (hash) {
        hash -> Text,
        content -> Binary,
    }
}

diesel::table! {
    cell_files (cell_id, path) {
        cell_id -> Uuid,
        path -> Text,
        hash -> Text,
    }
}

diesel::table! {
    edits (cell_id, revision) {
        cell_id -> Uuid,
        revision -> BigInt,
        label -> Text,
        changes -> Jsonb,
        state -> Text,
        at -> Timestamptz,
    }
}

diesel::table! {
    sweeps (cell_id, fingerprint) {
        cell_id -> Uuid,
        fingerprint -> Text,
        report -> Jsonb,
        at -> Timestamptz,
        broken -> Integer,
        tight -> Integer,
        pairs -> Integer,
        not_certified -> Integer,
        verdict -> Text,
        revision -> BigInt,
        name -> Nullable<Text>,
    }
}

diesel::table! {
    wanted_sweeps (cell_id) {
        cell_id -> Uuid,
        job -> Uuid,
        fingerprint -> Text,
        asked_at -> Timestamptz,
        begun_at -> Nullable<Timestamptz>,
        attempts -> Integer,
        heard_at -> Nullable<Timestamptz>,
        pairs_done -> BigInt,
        pairs_total -> BigInt,
        stop -> Bool,
        lost -> Nullable<Text>,
    }
}

diesel::table! {
    variants (id) {
        id -> Uuid,
        cell_id -> Uuid,
        position -> Integer,
        name -> Text,
        edit -> Jsonb,
        job -> Nullable<Uuid>,
        begun_at -> Nullable<Timestamptz>,
        attempts -> Integer,
        fingerprint -> Nullable<Text>,
        outcome -> Nullable<Jsonb>,
    }
}

diesel::joinable!(cell_files -> assets (hash));
diesel::allow_tables_to_appear_in_same_query!(cell_files, assets);
