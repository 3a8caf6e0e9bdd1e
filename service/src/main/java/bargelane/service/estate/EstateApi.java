package bargelane.service.estate;

import bargelane.api.EstateExport;
import bargelane.api.EstateExportAsk;
import bargelane.api.EstateImport;
import bargelane.api.EstateResult;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;

/** Endpoints of estate files. */
public record EstateApi(Estates estates) implements Endpoints.Room {

  /** Bytes of a body: of the longest file that is read, and what JSON adds to it. */
  private static final int BODY = 4 * EstateImport.LONGEST;

  @Override
  public void add(Endpoints e) {
    e.post("/estate/exports", "Write what is set up as an estate file", Need.PLAN)
        .heavy()
        .takes(EstateExportAsk.class)
        .gives(EstateExport.class, (r, b) -> estates.export(b, r.by()));
    e.post("/estate/comparisons", "What an import of an estate file would come to", Need.PLAN)
        .heavy()
        .longest(BODY)
        .takes(EstateImport.class)
        .gives(EstateResult.class, (r, b) -> estates.compare(b, r.by()));
    e.post("/estate/imports", "Take an estate file over, whole or not at all", Need.KEEP)
        .heavy()
        .longest(BODY)
        .takes(EstateImport.class)
        .gives(EstateResult.class, (r, b) -> estates.take(b, r.by()));
  }
}
