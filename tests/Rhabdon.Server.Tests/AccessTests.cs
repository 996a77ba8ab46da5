using System.Net;
using System.Text.Json.Nodes;
using Rhabdon.Core.Ledger;
using Xunit;

namespace Rhabdon.Server.Tests;

public class AccessTests(TestHost host)
{
    /// <summary>What each endpoint answers: nobody, viewer not named, installer, other crew's installer, lead, office, another company's office.</summary>
    private static readonly Dictionary<string, int[]> Expected = new()
    {
        ["GET /api/session"] = [200, 200, 200, 200, 200, 200, 200],
        ["POST /api/session"] = [401, 401, 401, 401, 401, 401, 401],
        ["DELETE /api/session"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/setup"] = [409, 409, 409, 409, 409, 409, 409],
        ["GET /api/crews"] = [401, 403, 200, 200, 200, 200, 200],
        ["POST /api/crews"] = [401, 403, 403, 403, 403, 200, 200],
        ["GET /api/people"] = [401, 403, 403, 403, 200, 200, 200],
        ["POST /api/people"] = [401, 403, 403, 403, 403, 200, 200],
        ["PUT /api/people/{personId}"] = [401, 403, 403, 403, 403, 200, 404],
        ["GET /api/people/{personId}/sign-ins"] = [401, 403, 403, 403, 403, 200, 404],
        ["DELETE /api/people/{personId}/sign-ins"] = [401, 403, 403, 403, 403, 200, 404],
        ["GET /api/me/code"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/me/code"] = [401, 422, 422, 422, 422, 422, 422],
        ["PUT /api/me/code"] = [401, 422, 422, 422, 422, 422, 422],
        ["POST /api/me/code/off"] = [401, 422, 422, 422, 422, 422, 422],
        ["DELETE /api/people/{personId}/code"] = [401, 403, 403, 403, 403, 200, 404],
        ["GET /api/codes"] = [401, 403, 403, 403, 403, 200, 200],
        ["PUT /api/codes"] = [401, 403, 403, 403, 403, 200, 200],
        ["GET /api/tokens"] = [401, 403, 403, 403, 403, 200, 200],
        ["POST /api/tokens"] = [401, 403, 403, 403, 403, 200, 400],
        ["DELETE /api/tokens/{tokenId}"] = [401, 403, 403, 403, 403, 404, 404],
        ["GET /api/storage"] = [401, 403, 403, 403, 403, 200, 200],
        ["GET /api/backup"] = [401, 403, 403, 403, 403, 200, 200],
        ["GET /api/about"] = [401, 200, 200, 200, 200, 200, 200],
        ["GET /api/reach"] = [401, 403, 403, 403, 403, 200, 200],
        ["GET /api/audit"] = [401, 403, 403, 403, 403, 200, 200],
        ["PUT /api/me/password"] = [401, 422, 422, 422, 422, 422, 422],
        ["GET /api/me/sign-ins"] = [401, 200, 200, 200, 200, 200, 200],
        ["DELETE /api/me/sign-ins"] = [401, 200, 200, 200, 200, 200, 200],
        ["DELETE /api/me/sign-ins/{signInId}"] = [401, 404, 404, 404, 404, 404, 404],
        ["PUT /api/people/{personId}/password"] = [401, 403, 403, 403, 403, 200, 404],
        ["GET /api/jobs"] = [401, 200, 200, 200, 200, 200, 200],
        ["GET /api/jobs/at-hand"] = [401, 200, 200, 200, 200, 200, 200],
        ["GET /api/today"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/jobs"] = [401, 403, 403, 403, 200, 200, 400],
        ["GET /api/jobs/{jobId}"] = [401, 404, 200, 404, 200, 200, 404],
        ["PUT /api/jobs/{jobId}"] = [401, 403, 403, 403, 200, 409, 404],
        ["GET /api/jobs/{jobId}/loom"] = [401, 404, 200, 404, 200, 200, 404],
        ["GET /api/jobs/{jobId}/viewers"] = [401, 403, 403, 403, 200, 200, 404],
        ["PUT /api/jobs/{jobId}/viewers"] = [401, 403, 403, 403, 403, 200, 404],
        ["GET /api/jobs/{jobId}/drawing"] = [401, 403, 403, 403, 200, 200, 404],
        ["POST /api/jobs/{jobId}/spaces"] = [401, 403, 403, 403, 200, 200, 404],
        ["POST /api/jobs/{jobId}/panels"] = [401, 403, 403, 403, 200, 200, 404],
        ["PUT /api/jobs/{jobId}/spaces/{id}"] = [401, 403, 403, 403, 200, 409, 404],
        ["PUT /api/jobs/{jobId}/panels/{id}"] = [401, 403, 403, 403, 200, 409, 404],
        ["PUT /api/jobs/{jobId}/cables/{id}"] = [401, 403, 403, 403, 200, 409, 404],
        ["PUT /api/jobs/{jobId}/ends/{id}"] = [401, 403, 403, 403, 200, 409, 404],
        ["POST /api/jobs/{jobId}/ends/change"] = [401, 403, 403, 403, 200, 200, 404],
        ["POST /api/jobs/{jobId}/ends/remove"] = [401, 403, 403, 403, 400, 400, 404],
        ["POST /api/jobs/{jobId}/modules"] = [401, 403, 403, 403, 200, 200, 404],
        ["PUT /api/jobs/{jobId}/modules/{id}"] = [401, 403, 403, 403, 404, 404, 404],
        ["POST /api/jobs/{jobId}/cords"] = [401, 403, 403, 403, 200, 200, 404],
        ["PUT /api/jobs/{jobId}/cords/{id}"] = [401, 403, 403, 403, 404, 404, 404],
        ["POST /api/jobs/{jobId}/chains"] = [401, 403, 403, 403, 200, 200, 404],
        ["PUT /api/jobs/{jobId}/chains/{id}"] = [401, 403, 403, 403, 404, 404, 404],
        ["POST /api/jobs/{jobId}/assignments"] = [401, 403, 403, 403, 200, 200, 404],
        ["GET /api/jobs/{jobId}/assignments"] = [401, 403, 200, 404, 200, 200, 404],
        ["GET /api/jobs/{jobId}/log"] = [401, 404, 200, 404, 200, 200, 404],
        ["GET /api/tools"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/lots"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/instruments"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/batches/off"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/batches/{batchId}"] = [401, 403, 200, 200, 200, 200, 200],
        ["POST /api/jobs/{jobId}/cables"] = [401, 403, 403, 403, 200, 200, 404],
        ["POST /api/jobs/{jobId}/ends"] = [401, 403, 403, 403, 409, 409, 404],
        ["DELETE /api/jobs/{jobId}/plan/{what}/{id}"] = [401, 403, 403, 403, 409, 409, 404],
        ["GET /api/procedures"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/procedures/{procedureId}/{version}"] = [401, 200, 200, 200, 200, 200, 200],
        ["GET /api/procedures/{procedureId}/{version}/document"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/procedures/{procedureId}/{version}/yaml"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/procedures/compare"] = [401, 403, 200, 200, 200, 200, 200],
        ["POST /api/procedures/copies"] = [401, 403, 403, 403, 200, 200, 200],
        ["POST /api/procedures/import"] = [401, 403, 403, 403, 422, 422, 422],
        ["PUT /api/procedures/{procedureId}/{version}"] = [401, 403, 403, 403, 422, 422, 422],
        ["POST /api/procedures/{procedureId}/{version}/publish"] = [401, 403, 403, 403, 404, 404, 404],
        ["DELETE /api/procedures/{procedureId}/{version}"] = [401, 403, 403, 403, 404, 404, 404],
        ["GET /api/schools"] = [401, 403, 200, 200, 200, 200, 200],
        ["PUT /api/schools/{optionId}"] = [401, 403, 403, 403, 200, 200, 200],
        ["POST /api/calc/procedure"] = [401, 200, 200, 200, 200, 200, 200],
        ["GET /api/places/{placeId}/bench"] = [401, 403, 200, 404, 200, 200, 404],
        ["GET /api/choices"] = [401, 200, 200, 200, 200, 200, 200],
        ["GET /api/limits"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/compatibility"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/prep"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/end-face-grade"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/insertion-loss"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/end-face"] = [401, 422, 422, 422, 422, 422, 422],
        ["POST /api/calc/cleave"] = [401, 422, 422, 422, 422, 422, 422],
        ["POST /api/calc/red-light"] = [401, 400, 400, 400, 400, 400, 400],
        ["POST /api/ends/{endId}/cleaves"] = [401, 403, 422, 404, 422, 422, 404],
        ["POST /api/ends/{endId}/red-light"] = [401, 403, 422, 404, 422, 422, 404],
        ["GET /api/ends/{endId}/nearest"] = [401, 403, 200, 404, 200, 200, 404],
        ["GET /api/ends/{endId}/diagnosis"] = [401, 403, 200, 404, 200, 200, 404],
        ["POST /api/ends/{endId}/photos"] = [401, 403, 422, 404, 422, 422, 404],
        ["GET /api/traces/{traceId}/pair"] = [401, 404, 404, 404, 404, 404, 404],
        ["POST /api/calc/simulate/cleave"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/end-face-seen"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/trace"] = [401, 422, 422, 422, 422, 422, 422],
        ["POST /api/calc/trace-pair"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/simulate/trace"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/simulate/end-face"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/places/{placeId}/splices/check"] = [401, 403, 200, 404, 200, 200, 404],
        ["POST /api/places/{placeId}/readings/check"] = [401, 403, 200, 404, 200, 200, 404],
        ["POST /api/ends/{endId}/judge/loss"] = [401, 403, 200, 404, 200, 200, 404],
        ["POST /api/ends/{endId}/judge/face"] = [401, 403, 200, 404, 200, 200, 404],
        ["GET /api/places/{placeId}/suspects"] = [401, 404, 200, 404, 200, 200, 404],
        ["POST /api/limits/own"] = [401, 403, 403, 403, 403, 422, 422],
        ["POST /api/calc/simulate/meter"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/applications"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/reference"] = [401, 200, 200, 200, 200, 200, 200],
        ["GET /api/jobs/{jobId}/kit"] = [401, 403, 200, 404, 200, 200, 404],
        ["POST /api/calc/kit"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/batch-fit"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/job-shop"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/week"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/adhesive"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/polarity"] = [401, 200, 200, 200, 200, 200, 200],
        ["GET /api/kit/file"] = [401, 403, 200, 404, 200, 200, 404],
        ["GET /api/kit"] = [401, 403, 200, 404, 200, 200, 404],
        ["GET /api/jobs/{jobId}/methods"] = [401, 403, 200, 404, 200, 200, 404],
        ["GET /api/company/figures"] = [401, 403, 200, 200, 200, 200, 200],
        ["PUT /api/company/figures"] = [401, 403, 403, 403, 403, 200, 200],
        ["GET /api/picks"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/picks/{pickId}"] = [401, 403, 404, 404, 404, 404, 404],
        ["GET /api/stock"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/recall"] = [401, 403, 200, 200, 200, 200, 200],
        ["POST /api/calc/ports"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/hot-melt"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/compare"] = [401, 200, 200, 200, 200, 200, 200],
        ["GET /api/yield"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/yield/findings"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/yield/ends"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/search"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/diagnosis/causes"] = [401, 403, 200, 200, 200, 200, 200],
        ["PUT /api/diagnosis/causes"] = [401, 403, 403, 403, 403, 200, 200],
        ["GET /api/rework"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/jobs/{jobId}/weak-ends"] = [401, 403, 200, 404, 200, 200, 404],
        ["GET /api/yield/compare"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/yield/losses"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/yield/wear"] = [401, 403, 404, 404, 404, 404, 404],
        ["GET /api/yield/file"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/yield/settings"] = [401, 403, 200, 200, 200, 200, 200],
        ["PUT /api/yield/settings"] = [401, 403, 403, 403, 403, 200, 200],
        ["POST /api/calc/rates"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/control"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/diagnose"] = [401, 200, 200, 200, 200, 200, 200],
        ["GET /api/calc/diagnose/signs"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/joint"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/suspects"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/calc/mix-up"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/ends/{endId}/pictures"] = [401, 403, 422, 404, 422, 422, 404],
        ["GET /api/pictures/{pictureId}"] = [401, 404, 404, 404, 404, 404, 404],
        ["POST /api/panels/{panelId}/pictures"] = [401, 403, 422, 404, 422, 422, 404],
        ["POST /api/jobs/{jobId}/pictures"] = [401, 403, 422, 404, 422, 422, 404],
        ["GET /api/panels/{panelId}/evidence"] = [401, 404, 200, 404, 200, 200, 404],
        ["GET /api/jobs/{jobId}/evidence"] = [401, 404, 200, 404, 200, 200, 404],
        ["GET /api/ends/{endId}/evidence"] = [401, 404, 200, 404, 200, 200, 404],
        ["POST /api/ends/{endId}/traces"] = [401, 403, 422, 404, 422, 422, 404],
        ["GET /api/traces/{traceId}"] = [401, 404, 404, 404, 404, 404, 404],
        ["GET /api/traces/{traceId}/section"] = [401, 404, 404, 404, 404, 404, 404],
        ["GET /api/traces/{traceId}/file"] = [401, 404, 404, 404, 404, 404, 404],
        ["GET /api/calc/strands/{number}"] = [401, 200, 200, 200, 200, 200, 200],
        ["POST /api/ledger"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/quarantine"] = [401, 403, 403, 403, 200, 200, 200],
        ["GET /api/quarantine/{quarantineId}"] = [401, 403, 403, 403, 404, 404, 404],
        ["GET /api/quarantine/causes"] = [401, 403, 403, 403, 200, 200, 200],
        ["POST /api/quarantine/causes/retry"] = [401, 403, 403, 403, 404, 404, 404],
        ["POST /api/quarantine/causes/set-aside"] = [401, 403, 403, 403, 404, 404, 404],
        ["POST /api/quarantine/{quarantineId}/retry"] = [401, 403, 403, 403, 404, 404, 404],
        ["POST /api/quarantine/{quarantineId}/set-aside"] = [401, 403, 403, 403, 404, 404, 404],
        ["GET /api/facts/{kind}"] = [401, 403, 403, 403, 403, 404, 404],
        ["GET /api/ends"] = [401, 200, 200, 200, 200, 200, 200],
        ["GET /api/ends/{endId}"] = [401, 404, 200, 404, 200, 200, 404],
        ["GET /api/jobs/{jobId}/handover"] = [401, 403, 403, 403, 200, 200, 404],
        ["GET /api/jobs/{jobId}/dossiers"] = [401, 403, 403, 403, 200, 200, 404],
        ["POST /api/jobs/{jobId}/dossiers"] = [401, 403, 403, 403, 200, 200, 404],
        ["GET /api/dossiers/{dossierId}"] = [401, 403, 403, 403, 404, 404, 404],
        ["POST /api/dossiers/{dossierId}/stop"] = [401, 403, 403, 403, 404, 404, 404],
        ["GET /api/dossiers/{dossierId}/file"] = [401, 403, 403, 403, 404, 404, 404],
        ["GET /api/dossiers/{dossierId}/seal"] = [401, 403, 403, 403, 404, 404, 404],
        ["GET /api/dossiers/{dossierId}/data"] = [401, 403, 403, 403, 404, 404, 404],
        ["GET /api/dossiers/{dossierId}/table"] = [401, 403, 403, 403, 404, 404, 404],
        ["GET /api/dossiers/{dossierId}/archive"] = [401, 403, 403, 403, 404, 404, 404],
        ["POST /api/jobs/archive"] = [401, 403, 403, 403, 403, 422, 422],
        ["GET /api/jobs/{jobId}/folder/names"] = [401, 403, 200, 404, 200, 200, 404],
        ["POST /api/jobs/{jobId}/folder/check"] = [401, 403, 200, 404, 200, 200, 404],
        ["GET /api/jobs/{jobId}/day"] = [401, 403, 403, 403, 200, 200, 404],
        ["GET /api/jobs/{jobId}/day/file"] = [401, 403, 403, 403, 200, 200, 404],
        ["GET /api/jobs/{jobId}/progress"] = [401, 403, 403, 403, 403, 200, 404],
        ["GET /api/jobs/{jobId}/progress/file"] = [401, 403, 403, 403, 403, 200, 404],
        ["GET /api/jobs/{jobId}/prices"] = [401, 403, 403, 403, 403, 200, 404],
        ["PUT /api/jobs/{jobId}/prices"] = [401, 403, 403, 403, 403, 200, 404],
        ["GET /api/hours"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/hours/file"] = [401, 403, 200, 200, 200, 200, 200],
        ["PUT /api/hours/{personId}/{day}"] = [401, 403, 404, 404, 404, 200, 404],
        ["GET /api/week"] = [401, 403, 403, 403, 200, 200, 200],
        ["POST /api/week/{monday}/plan"] = [401, 403, 403, 403, 200, 200, 200],
        ["POST /api/week/{monday}/stop"] = [401, 403, 403, 403, 200, 200, 200],
        ["PUT /api/week/figures"] = [401, 403, 403, 403, 200, 409, 200],
        ["GET /api/week/fit"] = [401, 403, 400, 400, 400, 400, 400],
        ["GET /api/week/mine"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/week/mine/calendar"] = [401, 403, 200, 200, 200, 200, 200],
        ["GET /api/letterhead"] = [401, 403, 403, 403, 200, 200, 200],
        ["PUT /api/letterhead"] = [401, 403, 403, 403, 403, 200, 200],
        ["GET /api/letterhead/mark"] = [401, 403, 403, 403, 404, 404, 404],
        ["PUT /api/letterhead/mark"] = [401, 403, 403, 403, 403, 422, 422],
        ["DELETE /api/letterhead/mark"] = [401, 403, 403, 403, 403, 200, 200],
        ["GET /api/plans/columns"] = [401, 403, 403, 403, 200, 200, 200],
        ["PUT /api/plans/mappings/{name}"] = [401, 403, 403, 403, 200, 200, 200],
        ["GET /api/plans/template"] = [401, 403, 403, 403, 200, 200, 200],
        ["POST /api/jobs/{jobId}/plan/file"] = [401, 403, 403, 403, 422, 422, 404],
        ["GET /api/labels/sheets"] = [401, 403, 403, 403, 200, 200, 200],
        ["PUT /api/labels/sheets"] = [401, 403, 403, 403, 200, 200, 200],
        ["GET /api/labels/test"] = [401, 403, 403, 403, 200, 200, 200],
        ["GET /api/jobs/{jobId}/labels"] = [401, 403, 403, 403, 200, 200, 404],
        ["GET /api/jobs/{jobId}/labels/file"] = [401, 403, 403, 403, 200, 200, 404],
        ["GET /api/jobs/{jobId}/links"] = [401, 403, 403, 403, 200, 200, 404],
        ["POST /api/jobs/{jobId}/links"] = [401, 403, 403, 403, 200, 200, 404],
        ["DELETE /api/jobs/{jobId}/links/{linkId}"] = [401, 403, 403, 403, 404, 404, 404],
        ["GET /api/jobs/{jobId}/links/{linkId}/openings"] = [401, 403, 403, 403, 200, 200, 404],
        // Open to whoever has the link or the paper: without either they tell nothing.
        ["GET /api/shared"] = [404, 404, 404, 404, 404, 404, 404],
        ["GET /api/shared/faces/{evidenceId}"] = [404, 404, 404, 404, 404, 404, 404],
        ["GET /api/shared/papers/{dossierId}"] = [404, 404, 404, 404, 404, 404, 404],
        ["GET /api/check/{code}"] = [404, 404, 404, 404, 404, 404, 404],
        ["GET /api/check/keys/{keyId}"] = [404, 404, 404, 404, 404, 404, 404],
        ["GET /api/ends/{endId}/record"] = [401, 404, 200, 404, 200, 200, 404],
    };

    [Fact]
    public async Task Every_endpoint_lets_in_whom_it_should_and_nobody_else()
    {
        var own = await host.NewCompany();
        var other = await host.NewCompany();
        var document = await (await host.Visit()).Get("/openapi/v1.json");
        var operations = document["paths"]!.AsObject().SelectMany(p => p.Value!.AsObject().Select(m => $"{m.Key.ToUpperInvariant()} {p.Key}")).ToList();
        Assert.Equal(Expected.Keys.Order(), operations.Order()); // an endpoint that this table does not know fails here

        Func<Task<Caller>>[] callers =
        [
            () => host.Visit(), () => own.SignIn("viewer"), () => own.SignIn("installer1"), () => own.SignIn("installer2"),
            () => own.SignIn("lead1"), () => own.SignIn("office"), () => other.SignIn("office"),
        ];
        var wrong = new List<string>();
        var secrets = own.Ends.Select(e => e.ToString()).Concat([own.JobId.ToString(), own.PanelId.ToString(), own.CableId.ToString()]).ToList();
        for (var c = 0; c < callers.Length; c++)
        {
            var caller = await callers[c]();
            foreach (var operation in operations)
            {
                var (method, path) = (operation.Split(' ')[0], operation.Split(' ')[1]);
                var response = await caller.Send(method, Filled(path, own), method is "POST" or "PUT" ? Body(operation, own) : null);
                if ((int)response.StatusCode != Expected[operation][c])
                {
                    wrong.Add($"{operation} as {c}: {(int)response.StatusCode}, expected {Expected[operation][c]}");
                }

                if (operation.Contains("/session") || operation.Contains("/setup") || operation.Contains("/password"))
                {
                    caller = await callers[c](); // that may have ended it
                }

                // Nobody, an unnamed viewer, the other crew and another company see nothing of this job.
                // (The ledger and the quarantine tell a sender what they sent themselves.)
                var text = await response.Content.ReadAsStringAsync();
                if (c is 0 or 1 or 3 or 6 && secrets.Any(text.Contains) && !operation.Contains("/ledger") && !operation.Contains("/quarantine"))
                {
                    wrong.Add($"{operation} as {c} tells of a job that is not theirs");
                }
            }
        }

        Assert.Empty(wrong);
        Assert.Equal(0L, await host.Scalar<long>("select count(*) from ledger where company_id = $1", other.Id));
    }

    internal static IEnumerable<string> Operations => Expected.Keys;

    internal static string Filled(string path, TestCompany c) => path
        .Replace("/procedures/compare", "/procedures/compare?fromId=cold-cure-3mm&fromVersion=1&toId=cold-cure-900-st&toVersion=1").Replace("/api/kit/file", $"/api/kit/file?format=csv&jobId={c.JobId}").Replace("/api/kit", path == "/api/kit" ? $"/api/kit?jobId={c.JobId}" : "/api/kit").Replace("/recall", "/recall?lot=A-17").Replace("/yield/ends", "/yield/ends?key=wedge-locked").Replace("/yield/compare", "/yield/compare?key=wedge-locked&other=cold-cure").Replace("/api/search", "/api/search?find=P1").Replace("/yield/wear", $"/yield/wear?toolId={Guid.Empty}").Replace("{pickId}", Guid.Empty.ToString()).Replace("{placeId}", c.PanelId.ToString()).Replace("{panelId}", c.PanelId.ToString()).Replace("{batchId}", Guid.Empty.ToString()).Replace("{cableId}", c.CableId.ToString()).Replace("{optionId}", "bites")
        .Replace("/section", "/section?fromM=0&toM=10").Replace("/pair", $"/pair?otherId={Guid.Empty}").Replace("/red-light", $"/red-light?beforeId={Guid.Empty}&x0=0.2&y0=0.2&x1=0.4&y1=0.4").Replace("{pictureId}", Guid.Empty.ToString()).Replace("{traceId}", Guid.Empty.ToString()).Replace("{jobId}", c.JobId.ToString()).Replace("{endId}", c.Ends[0].ToString())
        .Replace("cables/{id}", $"cables/{c.CableId}").Replace("panels/{id}", $"panels/{c.PanelId}").Replace("/ends/{id}", $"/ends/{c.Ends[0]}")
        .Replace("modules/{id}", $"modules/{Guid.Empty}").Replace("cords/{id}", $"cords/{Guid.Empty}").Replace("chains/{id}", $"chains/{Guid.Empty}").Replace("{what}", "space").Replace("{id}", c.SpaceId.ToString())
        .Replace("{name}", "Our planner").Replace("{dossierId}", Guid.Empty.ToString()).Replace("{linkId}", Guid.Empty.ToString()).Replace("{evidenceId}", Guid.Empty.ToString()).Replace("{code}", "0000000000000000").Replace("{keyId}", "00")
        .Replace("{tokenId}", Guid.Empty.ToString()).Replace("{signInId}", Guid.Empty.ToString()).Replace("{personId}", c.Person("lead2").PersonId.ToString())
        .Replace("{quarantineId}", Guid.Empty.ToString()).Replace("{procedureId}", "cold-cure-3mm").Replace("{version}", "1").Replace("/day/file", "/day/file?format=csv").Replace("/progress/file", "/progress/file?format=csv").Replace("/hours/file", "/hours/file?format=csv").Replace("{number}", "7").Replace("{day}", "2026-07-14").Replace("{monday}", "2026-07-13");

    internal static object Body(string operation, TestCompany c) => operation[(operation.IndexOf("/api", StringComparison.Ordinal) + 4)..] switch
    {
        "/session" => new { login = $"nobody{Guid.NewGuid():N}", password = "wrong password" },
        "/setup" => new { companyName = "X", name = "X", login = "xx", password = TestHost.Password },
        "/crews" => new { name = $"Crew {Guid.NewGuid():N}" },
        "/people" => new { name = "New", login = $"n{Guid.NewGuid():N}", password = TestHost.Password, role = "viewer", crewId = (Guid?)null },
        "/people/{personId}" => new { name = "Lead two", login = c.Person("lead2").Login, role = "lead", crewId = c.Crews[1], disabled = false, version = 1 },
        "/tokens" => new { name = "Nightly list", role = "viewer", jobIds = new[] { c.JobId } },
        "/me/code" when operation.StartsWith("PUT", StringComparison.Ordinal) => new { code = "000000" },
        "/me/code" or "/me/code/off" => new { current = "not this one" },
        "/codes" => new { roles = Array.Empty<string>() },
        "/me/password" => new { current = "not this one", password = "another one 10" },
        "/people/{personId}/password" => new { password = TestHost.Password },
        "/jobs" => c.JobBody(),
        "/jobs/{jobId}" => c.JobChange(1),
        "/jobs/{jobId}/viewers" => new { personIds = Array.Empty<Guid>() },
        "/jobs/{jobId}/spaces" => new { code = Guid.NewGuid().ToString("N")[..8], name = "Space" },
        "/jobs/{jobId}/panels" => new { spaceId = c.SpaceId, code = Guid.NewGuid().ToString("N")[..8], ports = 12, adapterForm = "LC", angled = false },
        "/jobs/{jobId}/spaces/{id}" => new { code = "S1", name = "Renamed", version = 1 },
        "/jobs/{jobId}/panels/{id}" => new { spaceId = c.SpaceId, code = "P1", ports = 24, adapterForm = "SC", angled = false, version = 1 },
        "/jobs/{jobId}/ends/{id}" => new { form = "SC", polish = "UPC", mode = "multimode", method = "wedge-locked", stubClass = "OM3", version = 1 },
        "/jobs/{jobId}/ends/change" => new { cableId = c.CableId, side = "A", fromStrand = 2, toStrand = 2, polish = "UPC" },
        "/jobs/{jobId}/ends/remove" => new { cableId = c.CableId, side = "A", fromStrand = 24, toStrand = 24 },
        "/jobs/{jobId}/modules" or "/jobs/{jobId}/modules/{id}" => new { code = Guid.NewGuid().ToString("N")[..8], fiberClass = "OM3", fibers = 12, rearForm = "MPO", frontForm = "LC" },
        "/jobs/{jobId}/cords" or "/jobs/{jobId}/cords/{id}" => new { code = Guid.NewGuid().ToString("N")[..8], fiberClass = "OM3", fibers = 2, formA = "LC", polishA = "UPC", formB = "LC", polishB = "UPC", lengthM = 3 },
        "/jobs/{jobId}/chains" or "/jobs/{jobId}/chains/{id}" => new { code = Guid.NewGuid().ToString("N")[..8], parts = new[] { new { kind = "cable", id = c.CableId, fiber = 1 } } },
        "/jobs/{jobId}/assignments" => new { crewId = c.Crews[0], placeId = c.PanelId },
        "/jobs/{jobId}/cables/{id}" => new { lengthM = 300, slackAMm = 900, slackBMm = 900, connections = 2, splices = 0, version = 1 },
        "/jobs/{jobId}/cables" => TestCompany.CableBody(Guid.NewGuid().ToString("N")[..8]),
        "/jobs/{jobId}/ends" => c.EndsBody(),
        "/calc/compatibility" => new { connector = new { form = "SC", polish = "UPC", mode = "multimode", method = "cold-cure", stubClass = (string?)null }, cable = new { fiberClass = "OM3", construction = "cordage-3.0" }, panel = (object?)null },
        "/calc/prep" => new { points = new[] { new { id = "a", name = "A", layer = "jacket" } }, spans = new[] { new { id = "s", from = "cable-end", to = "a", lengthMm = 10 } } },
        "/calc/end-face-grade" => new { endFaceClass = "sm-upc", limitSetId = "iec-61300-3-35", findings = Array.Empty<object>(), method = (string?)null },
        "/calc/insertion-loss" => new { limitSetId = "tia-568.3-d", link = new { fiberClass = "OM3", lengthM = 300, connections = 2, splices = 0 }, reading = new { wavelengthNm = 850, reference = "one-cord", referenceDbm = -20, readingDbm = -21, repeatabilityDb = 0.05 } },
        "/calc/end-face-seen" => new { endFaceClass = "sm-upc", limitSetId = "iec-61300-3-35", findings = Array.Empty<object>(), method = (string?)null },
        "/calc/trace-pair" => new { forward = Array.Empty<object>(), backward = Array.Empty<object>(), lengthM = 100, toleranceM = 5 },
        "/calc/simulate/trace" => new { lengthM = 500, dbPerKm = 0.35, events = Array.Empty<object>() },
        "/calc/simulate/cleave" => new { angleDeg = 1 },
        "/calc/simulate/end-face" => new { endFaceClass = "sm-upc", optics = new { widthPx = 200, heightPx = 200, claddingPx = 120 } },
        "/places/{placeId}/splices/check" => new { csv = "strand;loss\n1;0.04", endIds = new[] { c.Ends[0] } },
        "/places/{placeId}/readings/check" => new { csv = "port;loss\n1;0.4", columns = new { port = "port", lossDb = "loss" }, wavelengthNm = 850, reference = "one-cord" },
        "/ends/{endId}/judge/loss" => new { wavelengthNm = 850, reference = "one-cord", referenceDbm = -20, readingDbm = -20.4 },
        "/ends/{endId}/judge/face" => new { findings = Array.Empty<object>() },
        "/limits/own" => new { kind = "loss", yaml = "id: x" },
        "/calc/simulate/meter" => new { meter = new { sourceDbm = new Dictionary<string, double> { ["850"] = -20 } }, wavelengthNm = 850, lossDb = 1, hours = 0.5, reading = 1 },
        "/calc/applications" => new { fiberClass = "OM3", lengthM = 90, lossDb = new Dictionary<string, double> { ["850"] = 1.2 } },
        "/calc/reference" => new { reference = new { method = "one-cord", levels = new Dictionary<string, object> { ["850"] = new { dbm = -20, setAt = SystemClock.Instance.GetCurrentInstant() } }, cords = "A1" }, wavelengthsNm = new[] { 850 }, now = SystemClock.Instance.GetCurrentInstant() },
        "/calc/batch-fit" => new { ends = 12, minutes = 80, eachMin = 8, sdMin = 2 },
        "/calc/job-shop" => new { jobs = new[] { new[] { new { machine = 0, duration = 3 }, new { machine = 1, duration = 2 } } }, seconds = 1 },
        "/calc/week" => new { people = new[] { new { id = "a", hours = new[] { new { from = 0, to = 480 } }, skills = new[] { "epoxy" } } }, tools = new[] { new { kind = "oven", count = 1 } }, tasks = new[] { new { id = "t", stretches = new[] { new { minutes = 60, attended = true } } } }, seconds = 1 },
        "/calc/kit" => new { ends = 24, firstPass = 0.986, rungs = new[] { new { success = 0.6, tries = 2, minutes = 4, slackMm = 12, newConnector = false } }, newConnectorMinutes = 12, newConnectorSlackMm = 80, confidence = 0.95, packs = new[] { 1, 25 } },
        "/calc/adhesive" => new { connectors = 24, injectMl = 0.03, deadMl = 0.5, injectMin = 1, potLifeMin = 30, ovenSlots = 12, cureMin = 10, warmUpMin = 6 },
        "/diagnosis/causes" => new { version = 0, causes = new Dictionary<string, object> { ["contamination"] = new { stub = 0.3 } } },
        "/yield/settings" => new { namesPeople = false },
        "/jobs/{jobId}/dossiers" => new { edition = "customer", pictures = true },
        "/labels/sheets" => new { sheets = new[] { new { name = "Tape", pageWidthMm = 40, pageHeightMm = 12, columns = 1, rows = 0, labelWidthMm = 40, labelHeightMm = 12, marginLeftMm = 0, marginTopMm = 0, gapXMm = 0, gapYMm = 0 } } },
        "/plans/mappings/{name}" => new { mapping = new Dictionary<string, string> { ["port"] = "Port no." } },
        "/jobs/{jobId}/folder/check" => new { files = new[] { new { name = "S1-P1-1.sor" } } },
        "/jobs/{jobId}/prices" => new { currency = "EUR", units = new[] { new { method = "wedge-locked", form = "SC", polish = "UPC", mode = "multimode", price = 21.5 } } },
        "/hours/{personId}/{day}" => new { minutes = 450, note = "the boat was late" },
        "/week/{monday}/plan" => new { seconds = 1 },
        "/week/figures" => new { version = 0, figures = System.Text.Json.JsonSerializer.SerializeToNode(Core.Scheduling.WeekFigures.Usual, Core.Wire.Json)! },
        "/letterhead" => new { foot = "By the harbour" },
        "/jobs/{jobId}/links" => new { name = "The keeper", days = 30 },
        "/calc/rates" => new { groups = new object[] { new { name = "a", made = 20, passed = 18 }, new { name = "b", strata = new[] { new { name = "s", made = 5, passed = 4 } } } } },
        "/calc/control" => new { kind = "p", values = new[] { 1, 2, 0, 3 }, sizes = new[] { 20, 20, 20, 20 } },
        "/calc/diagnose" => new { method = "cam-locked", observations = new[] { new { sign = "light", value = "bright" } } },
        "/calc/polarity" => new { fibers = 12, chain = new[] { new { kind = "cord", type = "A-to-B" }, new { kind = "trunk", type = "A" }, new { kind = "cord", type = "A-to-A" } } },
        "/calc/compare" => new { ends = 24, wagePerHour = 40, limitDb = 0.75, methods = new[] { new { name = "no-polish", connectorCost = 12, consumableCost = 1, toolCost = 0, toolLifeEnds = 0, minutes = 9, firstPass = 0.95, reworkMinutes = 6, lossMeanDb = 0.3, lossSdDb = 0.12 } } },
        "/calc/ports" => new { strands = 12, scheme = "reverse-pair" },
        "/calc/hot-melt" => new { connectors = 24, figures = new { ovenSlots = 6, heatMin = 5, warmUpMin = 6, coolingStands = 6, coolMin = 6, insertMin = 1 } },
        "/company/figures" => (object)new { version = 0, figures = System.Text.Json.JsonSerializer.SerializeToNode(Core.Kit.CompanyFigures.Usual, Core.Wire.Json)! },
        "/calc/joint" => new { from = "OS2", to = "OS2", wavelengthNm = 1310, offsetUm = 1 },
        "/calc/suspects" => new { sums = new[] { new { parts = new[] { "a", "b" }, lossDb = 1.2, knownDb = 0.2 } } },
        "/calc/mix-up" => new { mode = "multimode", excessForwardDb = 4.7, excessBackwardDb = 0 },
        "/calc/procedure" or "/procedures/{procedureId}/{version}" => new { document = new { } },
        "/procedures/copies" => new { procedureId = "cold-cure-3mm", version = 1, id = $"own-{Guid.NewGuid():N}", title = "Own" },
        "/procedures/import" => new { yaml = "id: x" },
        "/schools/{optionId}" => new { choice = "five-mm" },
        "/quarantine/causes/retry" or "/quarantine/causes/set-aside" => new { code = "unknown", field = "body", senderId = Guid.Empty },
        "/ledger" => new[] { c.Event(c.Ends[1], EventKind.Noted, new Noted("hello")) },
        _ => new { },
    };

    [Fact]
    public async Task A_viewer_sees_the_jobs_named_to_them_and_writes_nothing()
    {
        var c = await host.NewCompany();
        var office = await c.SignIn("office");
        (await office.Send("PUT", $"/api/jobs/{c.JobId}/viewers", new { personIds = new[] { c.Person("viewer").PersonId, c.Person("lead2").PersonId } })).EnsureSuccessStatusCode();
        var viewer = await c.SignIn("viewer");
        Assert.Equal(c.JobId.ToString(), (await viewer.Get("/api/jobs"))[0]!["jobId"]!.GetValue<string>());
        Assert.Equal(12, (await viewer.Get("/api/ends")).AsArray().Count);
        Assert.Single((await office.Get($"/api/jobs/{c.JobId}/viewers"))["personIds"]!.AsArray()); // only viewers can be named
        Assert.Equal(HttpStatusCode.Forbidden, (await viewer.Post("/api/ledger", new[] { c.Event(c.Ends[0], EventKind.Noted, new Noted("x"), by: "viewer") })).StatusCode);
    }

    /// <summary>A customer sees the work and who proved it, not how the company is made up, what it is still writing, or what it asks of itself.</summary>
    [Fact]
    public async Task A_viewer_reads_nothing_of_crews_drafts_and_house_limits()
    {
        var c = await host.NewCompany();
        var office = await c.SignIn("office");
        (await office.Send("PUT", $"/api/jobs/{c.JobId}/viewers", new { personIds = new[] { c.Person("viewer").PersonId } })).EnsureSuccessStatusCode();
        (await office.Post($"/api/jobs/{c.JobId}/assignments", new { crewId = c.Crews[0], personId = c.Person("installer1").PersonId, placeId = c.PanelId })).EnsureSuccessStatusCode();
        (await office.Post("/api/limits/own", new { kind = "loss", yaml = """
            { id: house-tight, title: House, edition: "1", source: ours, connections: [{ mode: multimode, endDb: 0.31, pairDb: 0.31 }], spliceDb: 0.1, cable: [{ fiberClass: OM3, wavelengthNm: 850, dbPerKm: 3 }] }
            """ })).EnsureSuccessStatusCode();
        (await office.Post("/api/procedures/copies", new { procedureId = "cold-cure-3mm", version = 1, id = "still-writing", title = "Still writing" })).EnsureSuccessStatusCode();
        var hidden = (await office.Get("/api/crews")).AsArray().Select(x => x!["name"]!.GetValue<string>()).Concat(c.Crews.Select(x => x.ToString())).Append(c.Person("installer1").PersonId.ToString()).Append("still-writing").Append("house-tight").ToList();
        var viewer = await c.SignIn("viewer");
        var seen = 0;
        foreach (var path in Operations.Where(o => o.StartsWith("GET ", StringComparison.Ordinal)).Select(o => Filled(o[4..], c)).Append($"/api/ends?crewId={c.Crews[1]}"))
        {
            var response = await viewer.Send("GET", path, null);
            var text = await response.Content.ReadAsStringAsync();
            seen += response.IsSuccessStatusCode ? 1 : 0;
            Assert.DoesNotContain(hidden, text.Contains);
        }

        Assert.True(seen > 12, $"{seen} answers were read");
        Assert.Equal(12, (await viewer.Get($"/api/ends?crewId={c.Crews[1]}")).AsArray().Count); // a crew that is not told is not asked for, either
        var byHouse = new { limitSetId = "house-tight", link = new { fiberClass = "OM3", lengthM = 300, connections = 2, splices = 0 }, reading = new { wavelengthNm = 850, reference = "one-cord", referenceDbm = -20, readingDbm = -21, repeatabilityDb = 0.05 } };
        Assert.Equal(HttpStatusCode.OK, (await office.Post("/api/calc/insertion-loss", byHouse)).StatusCode);
        Assert.Equal(HttpStatusCode.UnprocessableEntity, (await viewer.Post("/api/calc/insertion-loss", byHouse)).StatusCode);
    }

    [Fact]
    public async Task A_token_does_what_its_role_and_its_jobs_allow_and_holds_no_more_once_it_is_revoked()
    {
        var c = await host.NewCompany();
        var office = await c.SignIn("office");
        var second = await office.Make("/api/jobs", c.JobBody());
        async Task<(string Id, Func<string, string, object?, Task<HttpResponseMessage>> Send)> Token(object body)
        {
            var made = JsonNode.Parse(await (await office.Post("/api/tokens", body)).Content.ReadAsStringAsync())!;
            var (id, secret) = (made["tokenId"]!.GetValue<string>(), made["token"]!.GetValue<string>());
            var script = await host.Visit(withToken: false);
            return (id, (method, path, sent) =>
            {
                var request = new HttpRequestMessage(new(method), path) { Content = sent is null ? null : System.Net.Http.Json.JsonContent.Create(sent, options: Rhabdon.Core.Wire.Json) };
                request.Headers.Authorization = new("Bearer", secret);
                return script.SendAsIs(request);
            }
            );
        }

        var (readId, read) = await Token(new { name = "List for the customer", role = "viewer", jobIds = new[] { c.JobId } });
        Assert.Equal(HttpStatusCode.OK, (await read("GET", $"/api/jobs/{c.JobId}", null)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await read("GET", $"/api/jobs/{second}", null)).StatusCode);
        foreach (var (method, path) in new[] { ("GET", "/api/me/sign-ins"), ("DELETE", "/api/session"), ("GET", "/api/people"), ("GET", "/api/tokens"), ("POST", "/api/ledger"), ("GET", "/api/live") })
        {
            Assert.Equal((method, path, HttpStatusCode.Forbidden), (method, path, (await read(method, path, method == "POST" ? Array.Empty<object>() : null)).StatusCode));
        }

        // One that records does so as one of its crew, with no form token beside it.
        var (workId, work) = await Token(new { name = "Meter at the bench", role = "installer", crewId = c.Crews[0] });
        Rhabdon.Core.Ledger.LedgerEvent Note(int end) => c.Event(c.Ends[end], EventKind.Noted, new Noted("by script")) with { ActorId = PersonId.Parse(workId) };
        Assert.Contains("stored", await (await work("POST", "/api/ledger", new[] { Note(0) })).Content.ReadAsStringAsync());

        // One that is held to a job reads and records in that one, and nowhere else; nor does it make another.
        var (heldId, held) = await Token(new { name = "Meter of the second job", role = "lead", crewId = c.Crews[0], jobIds = new[] { second } });
        Assert.Equal((HttpStatusCode.OK, HttpStatusCode.NotFound), ((await held("GET", $"/api/jobs/{second}", null)).StatusCode, (await held("GET", $"/api/jobs/{c.JobId}", null)).StatusCode));
        Assert.Equal("[]", await (await held("GET", "/api/ends", null)).Content.ReadAsStringAsync());
        Assert.Equal("[]", await (await held("GET", "/api/ends?form=SC", null)).Content.ReadAsStringAsync());
        Assert.Equal(HttpStatusCode.NotFound, (await held("GET", $"/api/ends/{c.Ends[1]}", null)).StatusCode);
        Assert.Contains("token-other-job", await (await held("POST", "/api/ledger", new[] { c.Event(c.Ends[1], EventKind.Noted, new Noted("not its job")) with { ActorId = PersonId.Parse(heldId) } })).Content.ReadAsStringAsync());
        Assert.Equal(HttpStatusCode.NotFound, (await held("POST", $"/api/jobs/{c.JobId}/spaces", new { code = "S9", name = "Space" })).StatusCode);
        Assert.Equal(HttpStatusCode.OK, (await held("POST", $"/api/jobs/{second}/spaces", new { code = "S9", name = "Space" })).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await held("POST", "/api/jobs", c.JobBody())).StatusCode);
        var list = (await office.Get("/api/tokens")).AsArray();
        Assert.NotNull(list.Single(t => t!["tokenId"]!.GetValue<string>() == workId)!["usedAt"]);
        Assert.DoesNotContain("rhabdon_", list.ToJsonString());
        Assert.DoesNotContain("Meter at the bench", (await office.Get("/api/people")).ToJsonString());

        (await office.Send("DELETE", $"/api/tokens/{readId}")).EnsureSuccessStatusCode();
        Assert.Equal(HttpStatusCode.Unauthorized, (await read("GET", $"/api/jobs/{c.JobId}", null)).StatusCode);
        Assert.Equal((HttpStatusCode.BadRequest, "token-role", "role"), await office.Refused("POST", "/api/tokens", new { name = "All", role = "office" }));
        Assert.Equal((HttpStatusCode.BadRequest, "token-jobs", "jobIds"), await office.Refused("POST", "/api/tokens", new { name = "All", role = "viewer" }));
    }

    /// <summary>Codes as RFC 6238 has them, made here by a library of its own and not by the server.</summary>
    [Fact]
    public async Task One_time_codes_are_asked_beside_the_password_each_works_once_and_the_company_may_ask_them_of_a_role()
    {
        var c = await host.NewCompany();
        var (office, lead) = (await c.SignIn("office"), await c.SignIn("lead1"));
        (await office.Send("PUT", "/api/codes", new { roles = new[] { "lead" } })).EnsureSuccessStatusCode();
        Assert.True((await lead.Get("/api/session"))["codeNeeded"]!.GetValue<bool>());
        Assert.Equal((HttpStatusCode.Forbidden, "codes-first", "session"), await lead.Refused("GET", "/api/jobs"));

        async Task<JsonNode> Sent(string method, string path, object body) => JsonNode.Parse(await (await lead.Send(method, path, body)).Content.ReadAsStringAsync())!;
        var begun = await Sent("POST", "/api/me/code", new { current = TestHost.Password });
        var authenticator = new OtpNet.Totp(OtpNet.Base32Encoding.ToBytes(begun["secret"]!.GetValue<string>()));
        Assert.Contains($"secret={begun["secret"]}", begun["address"]!.GetValue<string>());
        var code = authenticator.ComputeTotp();
        var recovery = (await Sent("PUT", "/api/me/code", new { code }))["recovery"]!.AsArray().Select(r => r!.GetValue<string>()).ToList();
        Assert.Equal(HttpStatusCode.OK, (await lead.Send("GET", "/api/jobs")).StatusCode);
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "codes-compulsory", "current"), await lead.Refused("POST", "/api/me/code/off", new { current = TestHost.Password }));

        var login = c.Person("lead1").Login;
        var tablet = await host.Visit();
        Task<(HttpStatusCode, string, string)> Refused(string? typed) => tablet.Refused("POST", "/api/session", new { login, password = TestHost.Password, code = typed });
        Assert.Equal((HttpStatusCode.Unauthorized, "code-needed", "code"), await Refused(null));
        Assert.Equal((HttpStatusCode.Unauthorized, "code-wrong", "code"), await Refused(code)); // it was used
        Assert.Equal((HttpStatusCode.Unauthorized, "sign-in-failed", "password"), await tablet.Refused("POST", "/api/session", new { login, password = "wrong", code })); // what tells of codes is told to who has the password
        (await tablet.Post("/api/session", new { login, password = TestHost.Password, code = recovery[0].ToUpperInvariant() })).EnsureSuccessStatusCode();
        await tablet.TakeToken();
        Assert.Equal(9, (await tablet.Get("/api/me/code"))["recoveryLeft"]!.GetValue<long>());
        Assert.Equal((HttpStatusCode.Unauthorized, "code-wrong", "code"), await Refused(recovery[0]));

        // A lost telephone: the office lets them begin anew, and codes are asked before anything else.
        (await office.Send("DELETE", $"/api/people/{c.Person("lead1").PersonId}/code")).EnsureSuccessStatusCode();
        Assert.Equal((HttpStatusCode.Forbidden, "codes-first", "session"), await tablet.Refused("GET", "/api/jobs"));
    }

    [Fact]
    public async Task Wrong_passwords_make_strangers_wait_alike_for_unknown_names_and_lock_nobody_out()
    {
        var c = await host.NewCompany();
        var login = $"installer1-{c.Tag}";
        var owner = await c.SignIn("installer1");
        (await owner.Send("DELETE", "/api/session")).EnsureSuccessStatusCode();
        var stranger = await host.Visit();
        var nobody = $"nobody-{c.Tag}";
        for (var i = 0; i < 5; i++)
        {
            Assert.Equal(await stranger.Refused("POST", "/api/session", new { login = nobody, password = "x" }), await stranger.Refused("POST", "/api/session", new { login, password = "wrong" }));
        }

        // From here on both wait, and the right password does not tell itself from a wrong one.
        var waits = (HttpStatusCode.TooManyRequests, "wait", "login");
        Assert.Equal(waits, await stranger.Refused("POST", "/api/session", new { login = nobody, password = "x" }));
        Assert.Equal(waits, await stranger.Refused("POST", "/api/session", new { login = login.ToUpperInvariant(), password = TestHost.Password }));
        Assert.InRange(int.Parse((await stranger.Post("/api/session", new { login, password = "x" })).Headers.GetValues("Retry-After").Single(), System.Globalization.CultureInfo.InvariantCulture), 1, 5);

        // What was typed as a name, and may be a password in the wrong field, stands nowhere as it was typed.
        foreach (var table in (await host.Scalar<string>("select string_agg(quote_ident(tablename), ' ') from pg_tables where schemaname = 'public'"))!.Split(' '))
        {
            Assert.Equal((table, 0L), (table, await host.Scalar<long>($"select count(*) from {table} t where t::text ilike '%' || $1 || '%'", nobody)));
        }

        // The owner's own device is let in meanwhile.
        await owner.TakeToken();
        (await owner.Post("/api/session", new { login, password = TestHost.Password })).EnsureSuccessStatusCode();
    }

    [Fact]
    public async Task A_person_is_renamed_moved_and_disabled_and_the_office_never_locks_itself_out()
    {
        var c = await host.NewCompany();
        var office = await c.SignIn("office");
        var installer = await c.SignIn("installer1");
        var who = c.Person("installer1");
        var path = $"/api/people/{who.PersonId}";
        object As(string role, bool disabled, int version, string name = "Ida Wren", CrewId? crew = null) => new { name, login = who.Login, role, crewId = crew ?? c.Crews[0], disabled, version };

        (await office.Send("PUT", path, As("lead", false, 1, crew: c.Crews[1]))).EnsureSuccessStatusCode();
        var me = (await installer.Get("/api/session"))["person"]!;
        Assert.Equal(("Ida Wren", "lead", "Crew 2"), (me["name"]!.GetValue<string>(), me["role"]!.GetValue<string>(), me["crewName"]!.GetValue<string>())); // at once
        Assert.Equal((HttpStatusCode.Conflict, "changed-meanwhile", "version"), await office.Refused("PUT", path, As("installer", false, 1)));

        (await office.Send("PUT", path, As("installer", true, 2))).EnsureSuccessStatusCode();
        Assert.Equal(HttpStatusCode.Unauthorized, (await installer.Send("GET", "/api/jobs")).StatusCode);
        Assert.Equal((HttpStatusCode.Unauthorized, "sign-in-failed", "password"), await (await host.Visit()).Refused("POST", "/api/session", new { login = who.Login, password = TestHost.Password }));
        Assert.DoesNotContain(who.Login, (await office.Get("/api/people")).ToJsonString());
        Assert.Contains(who.Login, (await office.Get("/api/people?disabled=true")).ToJsonString());
        (await office.Send("PUT", path, As("installer", false, 3))).EnsureSuccessStatusCode();
        await c.SignIn("installer1");

        var own = c.Person("office");
        object Office(string role, bool disabled) => new { name = "Office", login = own.Login, role, crewId = (CrewId?)null, disabled, version = 1 };
        Assert.Equal((HttpStatusCode.Conflict, "last-office", "disabled"), await office.Refused("PUT", $"/api/people/{own.PersonId}", Office("office", true)));
        Assert.Equal((HttpStatusCode.Conflict, "last-office", "role"), await office.Refused("PUT", $"/api/people/{own.PersonId}", Office("viewer", false)));
    }

    [Fact]
    public async Task One_changes_ones_own_password_sees_ones_sign_ins_and_ends_them()
    {
        var c = await host.NewCompany();
        var (here, there) = (await c.SignIn("installer1"), await c.SignIn("installer1"));
        var list = (await here.Get("/api/me/sign-ins")).AsArray();
        Assert.Equal(2, list.Count);
        Assert.Single(list, s => s!["here"]!.GetValue<bool>());
        var other = list.First(s => !s!["here"]!.GetValue<bool>())!["signInId"]!.GetValue<Guid>();
        Assert.Equal(HttpStatusCode.NotFound, (await (await c.SignIn("lead1")).Send("DELETE", $"/api/me/sign-ins/{other}")).StatusCode); // nobody else's
        (await here.Send("DELETE", $"/api/me/sign-ins/{other}")).EnsureSuccessStatusCode();
        Assert.Equal(HttpStatusCode.Unauthorized, (await there.Send("GET", "/api/jobs")).StatusCode);

        there = await c.SignIn("installer1");
        Assert.Equal((HttpStatusCode.UnprocessableEntity, "password-wrong", "current"), await here.Refused("PUT", "/api/me/password", new { current = "a guess", password = "a slate roof in rain" }));
        Assert.Equal((HttpStatusCode.BadRequest, "password-common", "password"), await here.Refused("PUT", "/api/me/password", new { current = TestHost.Password, password = "Password1234" }));
        (await here.Send("PUT", "/api/me/password", new { current = TestHost.Password, password = "a slate roof in rain" })).EnsureSuccessStatusCode();
        Assert.Equal(HttpStatusCode.Unauthorized, (await there.Send("GET", "/api/jobs")).StatusCode);
        await here.TakeToken();
        Assert.Equal(HttpStatusCode.OK, (await here.Send("GET", "/api/jobs")).StatusCode);

        // The office ends what a lost tablet still has.
        (await (await c.SignIn("office")).Send("DELETE", $"/api/people/{c.Person("installer1").PersonId}/sign-ins")).EnsureSuccessStatusCode();
        Assert.Equal(HttpStatusCode.Unauthorized, (await here.Send("GET", "/api/jobs")).StatusCode);
    }

    [Fact]
    public async Task What_was_done_and_what_was_refused_is_written_down_for_the_office()
    {
        var c = await host.NewCompany();
        var (lead, office) = (await c.SignIn("lead1"), await c.SignIn("office"));
        await (await host.Visit()).Refused("POST", "/api/session", new { login = $"lead1-{c.Tag}", password = "wrong" });
        (await lead.Post($"/api/jobs/{c.JobId}/spaces", new { code = "S9", name = "Attic" })).EnsureSuccessStatusCode();
        for (var i = 0; i < 3; i++)
        {
            await lead.Refused("POST", "/api/crews", new { name = "Own crew" }); // written down once a minute
        }

        await lead.Refused("POST", $"/api/jobs/{c.JobId}/spaces", new { code = "S9", name = "Attic" }); // taken: nothing was done
        (await office.Send("PUT", $"/api/people/{c.Person("lead2").PersonId}/password", new { password = "a slate roof in rain" })).EnsureSuccessStatusCode();
        (await lead.Post("/api/calc/mix-up", AccessTests.Body("POST /api/calc/mix-up", c))).EnsureSuccessStatusCode();

        var all = (await office.Get("/api/audit?limit=7")).AsArray().Select(e => (Who: e!["personName"]!.GetValue<string>(), What: e["what"]!.GetValue<string>(), Status: e["status"]!.GetValue<int>())).ToList();
        Assert.Equal(
            [("Office", "PUT /api/people/{personId}/password", 200), ("Lead 1", "POST /api/crews", 403), ("Lead 1", "POST /api/jobs/{jobId}/spaces", 200), ("Lead 1", "POST /api/session", 401)],
            all.Take(4));
        Assert.Equal(("Lead 2", "Customer · Site"), (
            (await office.Get("/api/audit?what=PUT%20/api/people/%7BpersonId%7D/password"))[0]!["aboutPerson"]!.GetValue<string>(),
            (await office.Get($"/api/audit?personId={c.Person("lead1").PersonId}&refused=false"))[0]!["aboutJob"]!.GetValue<string>()));
        Assert.Single((await office.Get($"/api/audit?refused=true&what=POST%20/api/crews")).AsArray());
        Assert.Empty((await office.Get("/api/audit?until=2026-01-01T00:00:00Z")).AsArray());
        await Assert.ThrowsAsync<Npgsql.PostgresException>(() => host.Scalar<long>("with gone as (delete from audit where company_id = $1 returning 1) select count(*) from gone", c.Id));
        Assert.DoesNotContain(c.Tag, (await (await (await host.NewCompany()).SignIn("office")).Get("/api/audit")).ToJsonString());
    }

    [Theory]
    [InlineData("aaaaaaaaaaaa", true)]
    [InlineData("1234567890", true)]
    [InlineData("Sunshine1999", true)]
    [InlineData("ida wren 2026!", true)]
    [InlineData("two gulls on a wire", false)]
    [InlineData("lantern-room-9", false)]
    public async Task A_password_that_is_tried_first_is_refused(string password, bool refused)
    {
        var c = await host.NewCompany();
        var answer = await (await c.SignIn("office")).Send("POST", "/api/people", new { name = "Ida Wren", login = $"ida-{c.Tag}", password, role = "viewer" });
        Assert.Equal(refused ? HttpStatusCode.BadRequest : HttpStatusCode.OK, answer.StatusCode);
    }

    [Fact]
    public async Task Whoever_holds_the_server_resets_an_account_and_adds_a_company()
    {
        var c = await host.NewCompany();
        var said = new StringWriter();
        Assert.Equal(0, await Accounts.AccountCommands.Find(["reset-account", $"lead1-{c.Tag}"])!.Run(host.Services, said));
        var visitor = await host.Visit();
        (await visitor.Post("/api/session", new { login = $"lead1-{c.Tag}", password = said.ToString().Trim().Split(' ')[^1] })).EnsureSuccessStatusCode();
        Assert.Equal(1, await Accounts.AccountCommands.Find(["reset-account", "nobody at all"])!.Run(host.Services, said));
        said = new StringWriter();
        Assert.Equal(0, await Accounts.AccountCommands.Find(["add-company", "Gannet and Sons", $"gannet-{c.Tag}"])!.Run(host.Services, said));
        (await (await host.Visit()).Post("/api/session", new { login = $"gannet-{c.Tag}", password = said.ToString().Trim().Split(' ')[^1] })).EnsureSuccessStatusCode();
        Assert.Equal(1, await Accounts.AccountCommands.Find(["add-company", "Gannet again", $"gannet-{c.Tag}"])!.Run(host.Services, said));
    }

    [Fact]
    public async Task Sign_ins_from_one_place_are_limited_and_told_so()
    {
        var visitor = await host.VisitWith();
        var answers = new List<HttpStatusCode>();
        for (var i = 0; i < 31; i++)
        {
            answers.Add((await visitor.Post("/api/session", new { login = $"nobody{i}", password = "x" })).StatusCode);
        }

        Assert.All(answers.Take(30), a => Assert.Equal(HttpStatusCode.Unauthorized, a));
        Assert.Equal((HttpStatusCode.TooManyRequests, "too-many-sign-ins", "login"), await visitor.Refused("POST", "/api/session", new { login = "nobody", password = "x" }));
    }

    [Fact]
    public async Task A_new_password_ends_old_sessions_at_once()
    {
        var c = await host.NewCompany();
        var installer = await c.SignIn("installer1");
        (await (await c.SignIn("office")).Send("PUT", $"/api/people/{c.Person("installer1").PersonId}/password", new { password = "another one 10" })).EnsureSuccessStatusCode();
        Assert.Equal(HttpStatusCode.Unauthorized, (await installer.Send("GET", "/api/jobs")).StatusCode);
    }

    [Fact]
    public async Task A_write_without_the_sessions_token_is_refused()
    {
        var visitor = await host.Visit(withToken: false);
        Assert.Equal((HttpStatusCode.BadRequest, "antiforgery", "X-Rhabdon-Token"), await visitor.Refused("POST", "/api/session", new { login = "a", password = "b" }));
    }

    [Fact]
    public async Task Headers_let_nothing_in_from_outside()
    {
        var response = await (await host.Visit()).Send("GET", "/");
        var policy = response.Headers.GetValues("Content-Security-Policy").Single();
        Assert.StartsWith("default-src 'self'; script-src 'self'; style-src 'self' 'nonce-", policy);
        Assert.DoesNotContain("unsafe", policy);
        Assert.DoesNotContain("http", policy);
        Assert.Equal("nosniff", response.Headers.GetValues("X-Content-Type-Options").Single());
        var session = await (await host.Visit(withToken: false)).Send("GET", "/api/session");
        Assert.All(session.Headers.GetValues("Set-Cookie"), cookie => Assert.Matches("samesite=strict.*httponly", cookie.ToLowerInvariant()));
    }

    [Fact]
    public async Task The_checked_in_document_of_the_api_is_the_served_one()
    {
        var served = (await (await host.Visit()).Get("/openapi/v1.json")).ToJsonString();
        var path = Path.Combine(Root, "web/openapi.json");
        if (Environment.GetEnvironmentVariable("RHABDON_WRITE_OPENAPI") == "1")
        {
            await File.WriteAllTextAsync(path, served);
        }

        Assert.True(JsonNode.DeepEquals(JsonNode.Parse(served), JsonNode.Parse(await File.ReadAllTextAsync(path))), "Run the tests once with RHABDON_WRITE_OPENAPI=1, then npm run types in web/.");
    }

    internal static readonly string Root = Find(AppContext.BaseDirectory);

    private static string Find(string from) => File.Exists(Path.Combine(from, "Rhabdon.slnx")) ? from : Find(Path.GetDirectoryName(from)!);
}
