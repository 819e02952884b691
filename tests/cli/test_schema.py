"""`schema`: one for every document, nothing else on either stream, a hint for a mistyped name."""

import json

import jsonschema
import pytest

from conftest import run_inkov
from inkov.render.documents import DOCUMENTS


@pytest.mark.few(8)
@pytest.mark.parametrize("document", DOCUMENTS)
def test_every_document_has_a_schema(document):
    ran = run_inkov("schema", document)
    assert (ran.code, ran.err) == (0, "")
    schema = json.loads(ran.out)
    jsonschema.Draft202012Validator.check_schema(schema)
    assert schema["title"] == f"inkov {document}"


def test_a_mistyped_document_gets_a_hint():
    ran = run_inkov("schema", "swich")
    assert (ran.code, ran.err) == (2, "schema: there is no document 'swich'; did you mean 'switch'?\n")
