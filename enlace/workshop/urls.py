"""Addresses of the workshop."""

from django.urls import path

from . import (
    action_views,
    catalog_views,
    connection_views,
    definition_views,
    project_views,
    rule_views,
    sheet_views,
)

urlpatterns = [
    path("", project_views.projects, name="projects"),
    path("project/<int:project>/remove", project_views.remove, name="project-remove"),
    path("project/<int:project>/connections/", connection_views.connections, name="connections"),
    path("project/<int:project>/connections/new", connection_views.new, name="connection-new"),
    path("connection/<int:connection>/", catalog_views.connection, name="connection"),
    path("connection/<int:connection>/edit", connection_views.edit, name="connection-edit"),
    path("connection/<int:connection>/remove", connection_views.remove, name="connection-remove"),
    path("connection/<int:connection>/copy", connection_views.copy, name="connection-copy"),
    path("connection/<int:connection>/compare", connection_views.compare, name="connection-compare"),
    path("connection/<int:connection>/receipts", connection_views.receipts, name="connection-receipts"),
    path("connection/<int:connection>/test", connection_views.test, name="connection-test"),
    path("connection/<int:connection>/count", catalog_views.count, name="table-count"),
    path("connection/<int:connection>/table", catalog_views.table, name="table"),
    path("connection/<int:connection>/make-form", catalog_views.make_form, name="make-form"),
    path("project/<int:project>/datasets/", definition_views.datasets, name="datasets"),
    path("dataset/<int:dataset>/", definition_views.dataset, name="dataset"),
    path("dataset/<int:dataset>/fields", sheet_views.act, name="sheet-act"),
    path("dataset/<int:dataset>/try", sheet_views.attempt, name="expression-try"),
    path("field/<int:field>/", sheet_views.part, name="field"),
    path("field/<int:field>/set", sheet_views.put, name="field-set"),
    path("dataset/<int:dataset>/rules", rule_views.add, name="rule-add"),
    path("rule/<int:rule>/", rule_views.attempt, name="rule-try"),
    path("rule/<int:rule>/remove", rule_views.remove, name="rule-remove"),
    path("dataset/<int:dataset>/saving", definition_views.saving, name="dataset-saving"),
    path("project/<int:project>/forms/", definition_views.forms, name="forms"),
    path("form/<int:form>/", definition_views.form, name="form"),
    path("form/<int:form>/details", definition_views.details, name="form-details"),
    path("form/<int:form>/actions/new", action_views.new, name="action-new"),
    path("action/<int:action>/", action_views.edit, name="action"),
    path("action/<int:action>/remove", action_views.remove, name="action-remove"),
    path("form/<int:form>/remove", definition_views.remove_form, name="form-remove"),
]
