"""What Enlace keeps of projects: their connections, datasets and forms."""

from ..query_run import QueryRun
from .connection import Connection, place_of
from .dataset import Dataset
from .definitions_stand import DefinitionsStand
from .field import Field
from .form import Detail, Form, first_form
from .form_step import FormStep
from .project import Project
from .rule import Rule
from .server_action import ServerAction
from .sheet_step import SheetStep

__all__ = [
    "Connection",
    "Dataset",
    "DefinitionsStand",
    "Detail",
    "Field",
    "Form",
    "FormStep",
    "Project",
    "QueryRun",
    "Rule",
    "ServerAction",
    "SheetStep",
    "first_form",
    "place_of",
]
