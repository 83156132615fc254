"""The nouns of Fold Keep as plain values: no input, no output, nothing of ours imported from elsewhere."""

from .catalogs import Catalog, CatalogEntry, CatalogSource
from .companions import are_a_pair, belongs_to, counterpart, is_sidecar, owner_names, sidecar_stems, stem_of
from .copy_names import copy_marks, looks_like_a_copy, plain_stem
from .dockets import Action, DocketRow
from .errors import FoldKeepError, PlaceBusy, StockBusy, StoppedMidway, UnusableInput
from .files import CopySet, Place, Role, StockFile, format_digest, freed_files, parse_digest
from .filters import Filter
from .grades import Grade
from .kinds import KINDS, OTHER, kind_of, suffix_of
from .media import Facts
from .names import (
    FOLD_NAME,
    PathBytes,
    beside,
    file_uri,
    folders_above,
    innermost,
    lies_below,
    lies_in_a_fold,
    names_to_try,
    path_from_uri,
    steps_alike,
    visible,
)
from .previews import preview_of
from .recipes import CACHE, CACHE_TAG, IN_PROJECT, SOURCES, WHATS, Cookbook, Recipe, Shelf
from .runs import Method, Run, RunFile, RunFileState, RunSummary, SourceFacts
from .settings import ASKABLE, BUNDLE_SUFFIXES, Settings
from .signatures import contradiction, format_of
from .units import format_moment, format_size, format_span, is_clock_change, parse_age, parse_moment, parse_size
from .volumes import SPECIAL, Capabilities, Limits, Volume, VolumeFacts, Way
from .work import Problem, Progress, Step, no_progress, reason_of

__all__ = [
    "FOLD_NAME",
    "PathBytes",
    "Role",
    "Place",
    "Volume",
    "VolumeFacts",
    "Capabilities",
    "Limits",
    "Way",
    "SPECIAL",
    "StockFile",
    "CopySet",
    "freed_files",
    "format_digest",
    "parse_digest",
    "KINDS",
    "OTHER",
    "kind_of",
    "suffix_of",
    "contradiction",
    "format_of",
    "is_sidecar",
    "copy_marks",
    "looks_like_a_copy",
    "plain_stem",
    "preview_of",
    "Recipe",
    "Grade",
    "Cookbook",
    "Shelf",
    "CACHE",
    "CACHE_TAG",
    "WHATS",
    "SOURCES",
    "IN_PROJECT",
    "sidecar_stems",
    "stem_of",
    "owner_names",
    "belongs_to",
    "are_a_pair",
    "counterpart",
    "Settings",
    "ASKABLE",
    "BUNDLE_SUFFIXES",
    "Catalog",
    "CatalogEntry",
    "CatalogSource",
    "Filter",
    "Facts",
    "Action",
    "DocketRow",
    "Method",
    "Run",
    "RunFile",
    "RunFileState",
    "RunSummary",
    "SourceFacts",
    "beside",
    "names_to_try",
    "lies_below",
    "lies_in_a_fold",
    "innermost",
    "folders_above",
    "steps_alike",
    "file_uri",
    "path_from_uri",
    "visible",
    "format_moment",
    "is_clock_change",
    "format_size",
    "format_span",
    "parse_age",
    "parse_moment",
    "parse_size",
    "Problem",
    "Progress",
    "Step",
    "no_progress",
    "reason_of",
    "FoldKeepError",
    "StockBusy",
    "PlaceBusy",
    "StoppedMidway",
    "UnusableInput",
]
