"""The shop's library over HTTP: plain forms, whose fields the core describes."""

from dataclasses import fields
from typing import Annotated, Any

import numpy as np
from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import WithJsonSchema

from library import actions, queries
from nibble_core.errors import InvalidTicket
from nibble_core.formats.registry import FORMATS, SHEET_FORMATS
from nibble_core.pipeline.round_walls import wall_of
from nibble_core.processes import PROCESSES
from nibble_core.ticket import from_plain, json_schema, to_plain
from nibble_core.ticket.cutters import Cutter
from nibble_core.ticket.fields import rule_of
from nibble_core.ticket.heads import HEADS
from nibble_core.ticket.library import Rates
from nibble_core.ticket.model import Machine, Setting, Stock
from nibble_core.ticket.round_shape import FreePart, Girth, RoundShape
from nibble_core.ticket.turners import TURNERS, type_of_turner

router = Router(tags=["library"])
PlainStock = Annotated[dict[str, Any], WithJsonSchema(json_schema(Stock))]
PlainMachine = Annotated[dict[str, Any], WithJsonSchema(json_schema(Machine))]
PlainSetting = Annotated[dict[str, Any], WithJsonSchema(json_schema(Setting))]
PlainRates = Annotated[dict[str, Any], WithJsonSchema(json_schema(Rates))]
HIDDEN = ("key", "id", "profile", "profile_name")  # chosen by other means than a typed value


class FieldOut(Schema):
    """One field of a form: its name, what it is called, its kind, limits and choices. optional: may be left empty."""

    name: str
    called: str
    kind: str
    low: float
    high: float
    step: float
    optional: bool
    choices: list[str]


class SettingsOut(Schema):
    machine: str
    stock: str
    settings: list[PlainSetting]


class KindOut(Schema):
    """A kind of something: what it begins with, and what can be set."""

    usual: dict[str, Any]
    fields: list[FieldOut]


class HeadOut(KindOut):
    """A kind of machine; how: it makes a process."""

    how: KindOut


class LibraryOut(Schema):
    """heads: by kind of machine. wall, girth, free: of a round thing's wall; turner: of what turns things, by its kind;
    cutter: of a router. processes: what a machine can be given; formats: what it can be sent, key and words."""

    stocks: list[PlainStock]
    machines: list[PlainMachine]
    settings: list[SettingsOut]
    stock_fields: list[FieldOut]
    machine_fields: list[FieldOut]
    heads: dict[str, HeadOut]
    wall_fields: list[FieldOut]
    girth_fields: list[FieldOut]
    free_fields: list[FieldOut]
    cutter_fields: list[FieldOut]
    turners: dict[str, KindOut]
    rates: PlainRates
    rate_fields: list[FieldOut]
    processes: list[str]
    formats: list[tuple[str, str]]


class RecordIn(Schema):
    value: dict[str, Any]


class SettingsIn(Schema):
    settings: list[PlainSetting]


@router.get("", response=LibraryOut, operation_id="library")
def library(request: HttpRequest) -> dict[str, Any]:
    """All records, and the fields of their forms."""
    held = queries.library()
    return {
        "stocks": to_plain(held.stocks), "machines": to_plain(held.machines),
        "settings": [
            {"machine": machine, "stock": stock, "settings": to_plain(held.settings_of(machine, stock))}
            for machine, stock in held.settings
        ],
        "stock_fields": _fields(Stock), "machine_fields": _fields(Machine),
        "heads": {kind: _kind(head()) | {"how": _kind(head().usual)} for kind, head in HEADS.items()},
        "wall_fields": _fields(RoundShape), "girth_fields": _fields(Girth), "free_fields": _fields(FreePart),
        "cutter_fields": _fields(Cutter),
        "turners": {kind: _kind(type_of_turner(kind)()) for kind in TURNERS},
        "rates": to_plain(held.rates), "rate_fields": _fields(Rates),
        "processes": [key for key, process in PROCESSES.items() if process.sent],
        "formats": [(key, FORMATS[key].called) for key in SHEET_FORMATS],
    }  # fmt: skip


class WallOut(Schema):
    """wall: heights and radii, mm, from the rim down; none where its measures describe none, and what is wrong."""

    wall: list[tuple[float, float]]
    problem: str


@router.post("/wall", response=WallOut, operation_id="wall")
def wall(request: HttpRequest, body: RecordIn) -> dict[str, Any]:
    """The wall that measures describe; nothing is kept."""
    try:
        found = wall_of(from_plain(RoundShape, body.value, ""))
    except InvalidTicket as error:
        return {"wall": [], "problem": error.sentence}
    heights = np.linspace(0.0, found.height, 2 if found.is_cone else 48)
    places = zip(heights.tolist(), found.radius_at(heights).tolist(), strict=True)
    return {"wall": [(round(z, 3), round(r, 3)) for z, r in places], "problem": ""}


@router.put("/rates", response=LibraryOut, operation_id="keep_rates")
def keep_rates(request: HttpRequest, body: RecordIn) -> dict[str, Any]:
    actions.keep_rates(body.value)
    return library(request)


@router.post("/{kind}", response=LibraryOut, operation_id="add_record")
def add(request: HttpRequest, kind: actions.Kind, body: RecordIn) -> dict[str, Any]:
    actions.keep_record(kind, "", body.value)
    return library(request)


@router.put("/{kind}/{key}", response=LibraryOut, operation_id="keep_record")
def keep(request: HttpRequest, kind: actions.Kind, key: str, body: RecordIn) -> dict[str, Any]:
    actions.keep_record(kind, key, body.value)
    return library(request)


@router.delete("/{kind}/{key}", response=LibraryOut, operation_id="remove_record")
def remove(request: HttpRequest, kind: actions.Kind, key: str) -> dict[str, Any]:
    actions.remove_record(kind, key)
    return library(request)


@router.put("/settings/{machine}/{stock}", response=LibraryOut, operation_id="keep_settings")
def keep_settings(request: HttpRequest, machine: str, stock: str, body: SettingsIn) -> dict[str, Any]:
    actions.keep_settings(machine, stock, body.settings)
    return library(request)


def _kind(usual: Any) -> dict[str, Any]:
    """Of one of several kinds, as it is before anything is set."""
    return {"usual": to_plain(usual), "fields": _fields(type(usual), "kind")}


def _fields(kind: type, *hidden: str) -> list[dict[str, Any]]:
    """Those that a form shows: lists of spots and formats have forms of their own."""
    told = []
    for one in fields(kind):
        rule = rule_of(kind, one.name)
        if rule is None or rule.types or one.name in (*HIDDEN, *hidden):
            continue
        told.append({
            "name": one.name, "called": rule.called, "kind": rule.kind, "low": rule.low, "high": rule.high,
            "step": rule.step, "optional": rule.auto is not None, "choices": list(rule.choices or {}),
        })  # fmt: skip
    return told
