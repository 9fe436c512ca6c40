"""Plain data in the API that a model describes.

What the core keeps as JSON, such as settings or a character's sheet, goes out and comes in as it is: the core checks it
with a sentence, and data of an earlier state may lack a field. The API's description, and so the front end's types,
still say what is in it, by the model.
"""

from __future__ import annotations

import json
from functools import cache
from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from ninja import NinjaAPI
from ninja.openapi.docs import Swagger
from ninja.openapi.schema import OpenAPISchema
from pydantic import TypeAdapter, WithJsonSchema


class DocsWithToken(Swagger):
    """The page that shows the API; what is tried on it brings the token that every change must bring."""

    def render_page(self, request: HttpRequest, api: NinjaAPI, **kwargs: Any) -> HttpResponse:
        settings = self.settings | {"url": self.get_openapi_url(api, kwargs)}
        context = {"swagger_settings": json.dumps(settings, indent=1), "api": api, "add_csrf": True}
        return render(request, self.template, context)


PREFIX = "https://components/"  # stands for the place where a description keeps its models
PLACE = "#/components/schemas/"
_described: list[tuple[type, bool, bool]] = []


def described(model: type, partial: bool = False, optional: bool = False) -> Any:
    """The type of a dict that has the form of a model.

    partial: each of its fields may be left out, or be null. optional: those with a default may be left out.
    """
    _described.append((model, partial, optional))
    return Annotated[dict[str, Any], WithJsonSchema({"$ref": f"{PREFIX}{model.__name__}{'Change' * partial}"})]


@cache
def _models() -> dict[str, dict[str, Any]]:
    """The models that were described, by name. Made when the description is asked for: that takes a while, and most
    processes never are."""
    models: dict[str, dict[str, Any]] = {}
    for model, partial, optional in _described:
        schema = TypeAdapter(model).json_schema(
            ref_template=f"{PREFIX}{{model}}", mode="validation" if optional else "serialization"
        )
        _level(schema)
        models.update(schema.pop("$defs", {}))
        name = schema["title"]
        if partial:
            name, schema = _partial(schema, models)
        elif optional:
            for field in schema["properties"].values():
                field.pop("default", None)
        else:
            schema["required"] = list(schema["properties"])
        models[name] = schema
    return models


def _level(node: Any) -> None:
    """Several numbers in a row as a list: the front end's client loses what is said of each place."""
    if isinstance(node, dict) and "prefixItems" in node:
        node["items"] = node.pop("prefixItems")[0]
    for child in node.values() if isinstance(node, dict) else node if isinstance(node, list) else ():
        _level(child)


def _partial(schema: dict[str, Any], models: dict[str, dict[str, Any]]) -> tuple[str, dict[str, Any]]:
    name = f"{schema['title']}Change"
    fields = {key: {"anyOf": [_open(field, models), {"type": "null"}]} for key, field in schema["properties"].items()}
    return name, {"title": name, "type": "object", "properties": fields}


def _open(field: dict[str, Any], models: dict[str, dict[str, Any]]) -> dict[str, Any]:
    """What a change says of a field: some fields of a model, or some rows of a table; null goes back to the default."""
    field = {key: value for key, value in field.items() if key != "default"}
    if "$ref" in field:
        name, change = _partial(models[field["$ref"].removeprefix(PREFIX)], models)
        models[name] = change
        return {"$ref": f"{PREFIX}{name}"}
    rows = field.get("additionalProperties")
    if isinstance(rows, dict):
        field["additionalProperties"] = {"anyOf": [rows, {"type": "null"}]}
    return field


class DescribedAPI(NinjaAPI):
    """An API whose description holds the models of :func:`described` too."""

    def get_openapi_schema(self, **options: Any) -> OpenAPISchema:
        schema = super().get_openapi_schema(**options)
        schema["components"]["schemas"].update(_models())
        _resolve(schema)
        return schema


def _resolve(node: Any) -> None:
    if isinstance(node, dict):
        for key, reference in node.items():
            if isinstance(reference, str) and reference.startswith(PREFIX):
                node[key] = PLACE + reference.removeprefix(PREFIX)
    for child in node.values() if isinstance(node, dict) else node if isinstance(node, list) else ():
        _resolve(child)
