"""The addresses of the API."""

from django.urls import path, re_path
from drf_spectacular.views import SpectacularAPIView
from rest_framework.permissions import AllowAny

from server.networks.api import (
    answers,
    drafts,
    files,
    imports,
    jobs,
    networks,
    policies,
    questions,
    routes,
    searches,
    session,
)
from server.networks.api.errors import nothing_here

urlpatterns = [
    path("schema", SpectacularAPIView.as_view(permission_classes=[AllowAny]), name="schema"),
    path("session", session.SessionView.as_view()),
    path("networks", networks.NetworkListView.as_view()),
    path("networks/<slug:slug>", networks.NetworkView.as_view()),
    path("networks/<slug:slug>/members", networks.MemberListView.as_view()),
    path("networks/<slug:slug>/revisions", networks.RevisionListView.as_view()),
    path("networks/<slug:slug>/imports", imports.ImportListView.as_view()),
    path("networks/<slug:slug>/flow", answers.FlowView.as_view()),
    path("networks/<slug:slug>/flow/compare", questions.CompareView.as_view()),
    path("networks/<slug:slug>/revisions/<int:number>", networks.RevisionView.as_view()),
    path("networks/<slug:slug>/remedies", searches.RemedyListView.as_view()),
    path("networks/<slug:slug>/questions", questions.QuestionListView.as_view()),
    path("networks/<slug:slug>/questions/run", questions.QuestionRunListView.as_view()),
    path("networks/<slug:slug>/questions/<int:pk>", questions.QuestionView.as_view()),
    path("networks/<slug:slug>/jobs", jobs.JobListView.as_view()),
    path("jobs/<int:pk>", jobs.JobView.as_view()),
    path("jobs/<int:pk>/cancel", jobs.JobCancelView.as_view()),
    path("imports/<int:pk>", imports.ImportView.as_view()),
    path("imports/<int:pk>/files/<path:path>", imports.ImportFileView.as_view()),
    path("remedies/<int:pk>", searches.RemedyView.as_view()),
    path("would-take/<int:pk>", searches.WouldTakeView.as_view()),
    path("question-runs/<int:pk>", questions.QuestionRunView.as_view()),
    path("networks/<slug:slug>/cases", answers.CaseListView.as_view()),
    path("networks/<slug:slug>/chart", answers.ChartView.as_view()),
    path("networks/<slug:slug>/devices/<path:device>", answers.DeviceView.as_view()),
    path("networks/<slug:slug>/holders", routes.HoldersView.as_view()),
    path("networks/<slug:slug>/why", routes.WhyView.as_view()),
    path("networks/<slug:slug>/table", routes.TableView.as_view()),
    path("networks/<slug:slug>/would-take", searches.WouldTakeListView.as_view()),
    path("networks/<slug:slug>/sessions", policies.SessionListView.as_view()),
    path("networks/<slug:slug>/sessions/bounce", policies.BounceView.as_view()),
    path("networks/<slug:slug>/policies", policies.PolicyListView.as_view()),
    path("networks/<slug:slug>/policies/try", policies.PolicyTrialView.as_view()),
    path("networks/<slug:slug>/drafts", drafts.DraftListView.as_view()),
    path("networks/<slug:slug>/drafts/<int:pk>", drafts.DraftView.as_view()),
    path("networks/<slug:slug>/findings", answers.FindingListView.as_view()),
    path("networks/<slug:slug>/find", answers.FindView.as_view()),
    path("networks/<slug:slug>/files", files.FileListView.as_view()),
    path("networks/<slug:slug>/files/<path:path>", files.FileView.as_view()),
    re_path(r"^.*$", nothing_here),
]
