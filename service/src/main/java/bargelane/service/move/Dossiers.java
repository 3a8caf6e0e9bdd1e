package bargelane.service.move;

import bargelane.api.DossierView;
import bargelane.service.plan.Waves;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.replication.TowEntity;
import bargelane.service.replication.Tows;
import java.util.List;
import java.util.Optional;
import java.util.Set;

/** Records of finished moves. */
public final class Dossiers {

  private final Db db;

  public Dossiers(Db db) {
    this.db = db;
  }

  /** Those of a wave, or all where it is empty; the newest first. */
  public List<DossierView> list(String wave, Optional<Set<String>> tows) {
    return db.tx(
        s -> {
          String tow = wave.isEmpty() ? "" : Waves.tow(s, Waves.find(s, wave)).id;
          if (!tow.isEmpty()) {
            Tows.among(tows, tow, wave);
          }
          return Db.list(
                  s,
                  DossierEntity.class,
                  "from DossierEntity where (?1 = '' or towId = ?1) and (?2 = true or towId in ?3)"
                      + " order by at desc",
                  tow,
                  tows.isEmpty(),
                  tows.orElse(Set.of("")))
              .stream()
              .map(
                  d ->
                      new DossierView(
                          d.id,
                          d.kind,
                          s.find(TowEntity.class, d.towId).name,
                          d.runId,
                          d.at,
                          Json.object(d.record)))
              .toList();
        });
  }
}
