"""Addresses: the API below /api/, and the application's one page everywhere else."""

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.urls import path, re_path

from saltwort.server.across import package_views as packages
from saltwort.server.across import screen_views as screen
from saltwort.server.across import start_views as start
from saltwort.server.across import views as across
from saltwort.server.compare import gpu_views as gpu
from saltwort.server.compare import pair_views as pairs
from saltwort.server.compare import scope_views as scopes
from saltwort.server.compare import tone_views as tones
from saltwort.server.compare import views as compare
from saltwort.server.conversions import views as conversions
from saltwort.server.findings import views as findings
from saltwort.server.handoffs import chain_views as chain
from saltwort.server.handoffs import explain_views as explain
from saltwort.server.handoffs import proof_views as proofs
from saltwort.server.handoffs import views as handoffs
from saltwort.server.handoffs.explanations import PICTURES
from saltwort.server.jobs import views as jobs
from saltwort.server.kept import kept
from saltwort.server.migrating import views as migrating
from saltwort.server.outputs import hdr_views as hdr
from saltwort.server.outputs import recipe_views as recipes
from saltwort.server.outputs import views as outputs
from saltwort.server.projects import config_views as configs
from saltwort.server.projects import views as projects
from saltwort.server.scene import render_views as renders
from saltwort.server.scene import rig_views as rig
from saltwort.server.scene import sequence_views as sequences
from saltwort.server.scene import views as scene
from saltwort.server.textures import close_up_views as looking
from saltwort.server.textures import intake_views as intakes
from saltwort.server.textures import views as textures
from saltwort.server.watching import views as watching
from saltwort.server.whole_projects import views as whole

PROJECT = "api/v1/projects/<slug:slug>"


def page(request: HttpRequest) -> HttpResponse | FileResponse:
    """The application's page, for every address of its own."""
    index = settings.WEB_DIR / "index.html"
    if not index.exists():
        return HttpResponse("The screens are not built yet: run “make web”.", status=503, content_type="text/plain")
    response = FileResponse(index.open("rb"), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


def no_such_call(request: HttpRequest) -> JsonResponse:
    """An address below /api/ that is none."""
    return JsonResponse({"detail": "There is no such call."}, status=404)


def refused(request: HttpRequest, exception: Exception | None = None) -> JsonResponse:
    """A request that is refused before any view sees it: too large, of too many parts, or for another host."""
    return JsonResponse({"detail": "This request cannot be taken as it is. Reload the page and try again."}, status=400)


def went_wrong(request: HttpRequest) -> JsonResponse:
    """What nobody thought of."""
    return JsonResponse({"detail": "Something went wrong inside Saltwort; its log says what."}, status=500)


handler400, handler500 = refused, went_wrong

urlpatterns = [
    path("api/v1/projects", kept(whole.projects)),
    path("api/v1/bundles", whole.bundles),
    path("api/v1/finding-codes", findings.finding_codes),
    path("api/v1/glossary", findings.glossary),
    path("api/v1/builtin-configs", configs.builtins),
    path("api/v1/conversion-formats", conversions.formats),
    path("api/v1/chromaticity", configs.diagram),
    path("api/v1/chart.csv", scene.chart_file),
    path("api/v1/view-families", configs.offered_families),
    path(f"{PROJECT}", kept(projects.project)),
    path(f"{PROJECT}/name", whole.rename),
    path(f"{PROJECT}/archived", whole.archive),
    path(f"{PROJECT}/duplicate", whole.duplicate),
    path(f"{PROJECT}/delete", whole.delete),
    path(f"{PROJECT}/restore", whole.restore),
    path(f"{PROJECT}/bundle.zip", whole.bundle_file),
    path(f"{PROJECT}/setup", across.setup),
    path(f"{PROJECT}/undo", projects.undo),
    path(f"{PROJECT}/redo", projects.redo),
    path(f"{PROJECT}/revisions", kept(projects.revisions)),
    path(f"{PROJECT}/base", projects.base),
    path(f"{PROJECT}/tracer", projects.tracer),
    path(f"{PROJECT}/setup-preview", across.setup_preview),
    path(f"{PROJECT}/target-differences", across.target_differences),
    path(f"{PROJECT}/look-file", projects.look_file),
    path(f"{PROJECT}/path", kept(projects.path)),
    path(f"{PROJECT}/config", kept(across.config)),
    path(f"{PROJECT}/space", kept(configs.space)),
    path(f"{PROJECT}/compare-configs", configs.compare_configs),
    path(f"{PROJECT}/compare-file", configs.compare_file),
    path(f"{PROJECT}/compare-path", configs.compare_path),
    path(f"{PROJECT}/trim", kept(across.trim)),
    path(f"{PROJECT}/follow", configs.followed),
    path(f"{PROJECT}/export.ocioz", configs.export, {"kind": "ocioz"}),
    path(f"{PROJECT}/export.zip", configs.export, {"kind": "zip"}),
    path(f"{PROJECT}/textures", kept(textures.textures)),
    path(f"{PROJECT}/textures/choices", kept(textures.texture_choices)),
    path(f"{PROJECT}/textures/ids", kept(textures.texture_ids)),
    path(f"{PROJECT}/textures/summary", textures.summary),
    path(f"{PROJECT}/textures/run-rules", across.run_rules),
    path(f"{PROJECT}/textures/pins", textures.pins),
    path(f"{PROJECT}/textures/remove", textures.remove),
    path(f"{PROJECT}/textures/samples", intakes.samples),
    path(f"{PROJECT}/intakes", intakes.intakes),
    path(f"{PROJECT}/intakes/<int:pk>/files", intakes.intake_files),
    path(f"{PROJECT}/intakes/<int:pk>/taken", intakes.intake_taken),
    path(f"{PROJECT}/intakes/<int:pk>/start", intakes.start),
    path(f"{PROJECT}/texture-folders", kept(intakes.folders)),
    path(f"{PROJECT}/texture-folders/<int:pk>", intakes.folder),
    path(f"{PROJECT}/texture-folders/<int:pk>/look-again", intakes.look_again),
    path(f"{PROJECT}/textures/<int:pk>", kept(textures.texture)),
    path(f"{PROJECT}/textures/<int:pk>/pin", textures.pin),
    path(f"{PROJECT}/textures/<int:pk>/kind", textures.kind),
    path(f"{PROJECT}/textures/<int:pk>/picture", looking.texture_picture),
    path(f"{PROJECT}/textures/<int:pk>/study", looking.study),
    path(f"{PROJECT}/textures/<int:pk>/pixel", looking.pixel),
    path(f"{PROJECT}/textures/<int:pk>/undone", looking.undone),
    path(f"{PROJECT}/textures/<int:pk>/read-undone", looking.read_undone),
    path(f"{PROJECT}/textures/manifest.csv", textures.manifest, {"kind": "csv"}),
    path(f"{PROJECT}/textures/manifest.json", textures.manifest, {"kind": "json"}),
    path(f"{PROJECT}/textures/materials.zip", textures.material_zip),
    path(f"{PROJECT}/textures/compare-material", textures.compare_material),
    path(f"{PROJECT}/conversions", conversions.conversions),
    path(f"{PROJECT}/conversions/preview", conversions.preview),
    path(f"{PROJECT}/conversions/<int:pk>", conversions.conversion),
    path(f"{PROJECT}/conversions/<int:pk>/files", conversions.files),
    path(f"{PROJECT}/conversions/<int:pk>/use", conversions.use),
    path(f"{PROJECT}/conversions/<int:pk>/files.zip", conversions.packed_files),
    path(f"{PROJECT}/conversions/<int:pk>/report.csv", conversions.report, {"kind": "csv"}),
    path(f"{PROJECT}/conversions/<int:pk>/report.json", conversions.report, {"kind": "json"}),
    path(f"{PROJECT}/swatches", kept(scene.swatches)),
    path(f"{PROJECT}/swatches/remove", scene.remove_swatches),
    path(f"{PROJECT}/swatches/file", scene.bring_swatches),
    path(f"{PROJECT}/swatches.csv", scene.swatch_file, {"kind": "csv"}),
    path(f"{PROJECT}/swatches.json", scene.swatch_file, {"kind": "json"}),
    path(f"{PROJECT}/lights", kept(scene.lights)),
    path(f"{PROJECT}/reflectances", scene.reflectances),
    path(f"{PROJECT}/meaning", scene.meaning),
    path(f"{PROJECT}/appearance", scene.appearance),
    path(f"{PROJECT}/working-space", scene.working_space),
    path(f"{PROJECT}/working-space/changes", across.working_space_changes),
    path(f"{PROJECT}/rig", rig.rig_setup),
    path(f"{PROJECT}/rig/picture", rig.rig_picture),
    path(f"{PROJECT}/rig/renders", rig.render_rig),
    path(f"{PROJECT}/rig/sameness", rig.sameness),
    path(f"{PROJECT}/rig/spectral", rig.spectral),
    path(f"{PROJECT}/renders", kept(renders.renders)),
    path(f"{PROJECT}/renders/sequences", sequences.import_sequences),
    path(f"{PROJECT}/renders/<int:pk>", renders.render),
    path(f"{PROJECT}/renders/<int:pk>/frames", sequences.frames),
    path(f"{PROJECT}/renders/<int:pk>/look-again", sequences.look_again),
    path(f"{PROJECT}/renders/<int:pk>/picture", renders.render_picture),
    path(f"{PROJECT}/renders/<int:pk>/marks", renders.render_marks),
    path(f"{PROJECT}/renders/<int:pk>/probe", compare.probe),
    path(f"{PROJECT}/renders/<int:pk>/light", gpu.light),
    path(f"{PROJECT}/renders/<int:pk>/scope", scopes.scope_picture),
    path(f"{PROJECT}/renders/<int:pk>/hdr", hdr.hdr_levels),
    path(f"{PROJECT}/renders/<int:pk>/hdr/picture", hdr.hdr_picture),
    path(f"{PROJECT}/renders/<int:pk>/hdr/still", hdr.hdr_still),
    path(f"{PROJECT}/renders/<int:pk>/light-scope", scopes.light_scope),
    path(f"{PROJECT}/tone", tones.tone),
    path(f"{PROJECT}/tone/sweep", tones.sweep_picture),
    path(f"{PROJECT}/design/findings", tones.design_findings),
    path(f"{PROJECT}/program", gpu.program),
    path(f"{PROJECT}/program/proof", gpu.program_proof),
    path(f"{PROJECT}/program/difference", gpu.program_difference),
    path(f"{PROJECT}/test-pictures/<str:name>", gpu.test_light),
    path(f"{PROJECT}/probes", compare.probes),
    path(f"{PROJECT}/pair/difference", pairs.pair_difference),
    path(f"{PROJECT}/pair/match", pairs.pair_match),
    path(f"{PROJECT}/grade-look", pairs.grade_look),
    path(f"{PROJECT}/kept-comparisons", compare.kept_comparisons),
    path(f"{PROJECT}/kept-comparisons/<int:pk>", compare.kept_comparison),
    path(f"{PROJECT}/comparison", compare.comparison),
    path("api/v1/station-abilities", handoffs.station_abilities),
    path("api/v1/station-kinds", handoffs.station_kinds),
    path(f"{PROJECT}/stations", kept(handoffs.stations)),
    path(f"{PROJECT}/station-order", handoffs.station_order),
    path(f"{PROJECT}/stations/<int:pk>", handoffs.station),
    path(f"{PROJECT}/stations/<int:pk>/config", packages.station_config),
    path(f"{PROJECT}/stations/<int:pk>/config/file", packages.station_config_file),
    path(f"{PROJECT}/stations/<int:pk>/sheet", kept(handoffs.sheet)),
    path(f"{PROJECT}/stations/<int:pk>/sheet.txt", handoffs.sheet_file, {"ending": "txt"}),
    path(f"{PROJECT}/stations/<int:pk>/sheet.md", handoffs.sheet_file, {"ending": "md"}),
    path(f"{PROJECT}/stations/<int:pk>/sheet.html", handoffs.sheet_file, {"ending": "html"}),
    path(f"{PROJECT}/stations/<int:pk>/sheet.json", handoffs.sheet_file, {"ending": "json"}),
    path(f"{PROJECT}/stations/<int:pk>/copy", handoffs.station_copy),
    path(f"{PROJECT}/stations/<int:pk>/textures", kept(handoffs.station_textures)),
    path(f"{PROJECT}/stations/<int:pk>/textures.csv", handoffs.station_textures_file, {"ending": "csv"}),
    path(f"{PROJECT}/stations/<int:pk>/textures.json", handoffs.station_textures_file, {"ending": "json"}),
    path(f"{PROJECT}/stations/<int:pk>/takers", chain.takers),
    path(f"{PROJECT}/stations/<int:pk>/mistakes", chain.station_mistakes),
    path(f"{PROJECT}/stations/<int:pk>/mistake-picture", chain.mistake_picture),
    path(f"{PROJECT}/stations/<int:pk>/card", proofs.card),
    path(f"{PROJECT}/stations/<int:pk>/proofs", proofs.proofs),
    path(f"{PROJECT}/stations/<int:pk>/proofs/<int:proof>/came", proofs.proof_picture, {"which": "came"}),
    path(f"{PROJECT}/stations/<int:pk>/proofs/<int:proof>/agreed", proofs.proof_picture, {"which": "agreed"}),
    path(f"{PROJECT}/stations/<int:pk>/package", packages.station_package),
    path(f"{PROJECT}/package", packages.project_package),
    path(f"{PROJECT}/proofs", proofs.any_proof),
    path("api/v1/screen", screen.half_tones),
    path("api/v1/screen/verdict", screen.verdict),
    path("api/v1/screen/tagged.png", screen.tagged_picture),
    path("api/v1/screen/pq.png", screen.pq_picture),
    path("api/v1/start", start.options),
    path("api/v1/start/facts", start.facts),
    path("api/v1/start/names", start.names),
    path("api/v1/start/picture", start.start_picture),
    path("api/v1/start/config", start.start_config),
    path("api/v1/start/render", start.start_render),
    path("api/v1/start/project", start.start),
    path(f"{PROJECT}/next", kept(start.whats_next)),
    path(f"{PROJECT}/walk", start.walk),
    path("api/v1/migration-steps", migrating.migration_steps),
    path(f"{PROJECT}/old-scenes", migrating.old_scenes),
    path(f"{PROJECT}/old-scenes/sent", migrating.sent_scenes),
    path(f"{PROJECT}/old-scenes/<int:pk>/sent-files", migrating.sent_files),
    path(f"{PROJECT}/old-scenes/<int:pk>/read", migrating.read_sent),
    path(f"{PROJECT}/old-scenes/<int:pk>", migrating.old_scene),
    path(f"{PROJECT}/old-scenes/<int:pk>/preview", migrating.preview_migration),
    path(f"{PROJECT}/old-scenes/<int:pk>/migrate", migrating.migrate),
    path(f"{PROJECT}/old-scenes/<int:pk>/go-back", migrating.go_back),
    path(f"{PROJECT}/old-scenes/<int:pk>/read-into", migrating.read_into),
    path(f"{PROJECT}/old-scenes/<int:pk>/page", migrating.migration_page),
    path(f"{PROJECT}/old-scenes/<int:pk>/report", migrating.migration_json),
    path(f"{PROJECT}/old-scenes/<int:pk>/files", migrating.migrated_files),
    path(f"{PROJECT}/old-scenes/<int:pk>/picture/<slug:name>", migrating.migration_picture),
    path(f"{PROJECT}/watched", watching.watched_folders),
    path(f"{PROJECT}/watched/<int:pk>", watching.watched_folder),
    path(f"{PROJECT}/watched/<int:pk>/frames", watching.watched_frames),
    path(f"{PROJECT}/watched/<int:pk>/summary", watching.watched_summary),
    path(f"{PROJECT}/watched/<int:pk>/picture", watching.watched_picture),
    path(f"{PROJECT}/explanations", explain.explanations),
    path(f"{PROJECT}/explanations/<int:pk>", explain.explanation),
    path(f"{PROJECT}/explanations/<int:pk>/rescue", explain.explanation_rescue),
    path(f"{PROJECT}/explanations/<int:pk>/rescue-folder", explain.explanation_rescue_folder),
    path(f"{PROJECT}/explanations/<int:pk>/lut", explain.explanation_lut),
    *(
        path(f"{PROJECT}/explanations/<int:pk>/{which}", explain.explanation_picture, {"which": which})
        for which in PICTURES
    ),
    path(f"{PROJECT}/chain", chain.chain),
    path(f"{PROJECT}/simulation", chain.simulation),
    path(f"{PROJECT}/simulation/picture", chain.simulation_picture),
    path(f"{PROJECT}/deliverables", outputs.deliverable_kinds),
    path(f"{PROJECT}/verify", outputs.verify_file),
    path(f"{PROJECT}/delivery-note", outputs.delivery_note),
    path(f"{PROJECT}/recipes", recipes.project_recipes),
    path(f"{PROJECT}/recipes/remove", recipes.remove_recipe),
    path(f"{PROJECT}/recipes/make", recipes.make_recipes),
    path(f"{PROJECT}/recipes/foreseen", recipes.foresee_recipes),
    path(f"{PROJECT}/outputs/foreseen", outputs.foresee_output),
    path(f"{PROJECT}/outputs", outputs.outputs),
    path(f"{PROJECT}/outputs/<int:pk>", outputs.output),
    path(f"{PROJECT}/outputs/<int:pk>/file", outputs.output_file),
    path(f"{PROJECT}/outputs/<int:pk>/frames", outputs.output_frames),
    path(f"{PROJECT}/outputs/<int:pk>/frames/<int:number>", outputs.output_frame_file),
    path(f"{PROJECT}/outputs/<int:pk>/make-the-rest", outputs.make_the_rest),
    path(f"{PROJECT}/jobs", jobs.jobs),
    path(f"{PROJECT}/jobs/<int:pk>/cancel", jobs.cancel_job),
    path(f"{PROJECT}/findings", kept(findings.findings)),
    path(f"{PROJECT}/own-findings", kept(findings.findings_of_no_texture)),
    path(f"{PROJECT}/finding-groups", kept(findings.finding_groups)),
    path(f"{PROJECT}/fix", findings.fix),
    path(f"{PROJECT}/fix-all", findings.fix_all_of_a_code),
    path(f"{PROJECT}/fix-all-preview", findings.fix_all_preview),
    path(f"{PROJECT}/dismiss", findings.dismiss_finding),
    path(f"{PROJECT}/dismiss/restore", findings.restore_finding),
    re_path(r"^api/", no_such_call),
    re_path(r"", page),
]
