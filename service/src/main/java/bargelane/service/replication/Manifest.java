package bargelane.service.replication;

import bargelane.core.lane.LanePlan;
import bargelane.core.replication.Verification;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.platform.Json;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.dataformat.yaml.YAMLFactory;
import com.fasterxml.jackson.dataformat.yaml.YAMLGenerator;
import com.fasterxml.jackson.dataformat.yaml.YAMLMapper;
import java.nio.charset.StandardCharsets;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * The file that lies beside every point: what it is, of what, and how it is to be started. See
 * docs/formats/manifest.md.
 */
public final class Manifest {

  private static final YAMLMapper YAML =
      new YAMLMapper(
          new YAMLFactory()
              .disable(YAMLGenerator.Feature.WRITE_DOC_START_MARKER)
              .enable(YAMLGenerator.Feature.MINIMIZE_QUOTES)
              .disable(YAMLGenerator.Feature.SPLIT_LINES));

  private Manifest() {}

  /** The manifest of the point that a pass ends in. */
  public static byte[] of(
      TowState state,
      LegEntity leg,
      PassEntity pass,
      Verification verified,
      boolean oneInstant,
      long spreadMs) {
    Map<String, Object> m = new LinkedHashMap<>();
    m.put("format", "bargelane/manifest/3");
    m.put("wave", state.tow.name);
    m.put("tow", state.tow.id);
    m.put("asOf", pass.asOf.toString());
    m.put("oneInstant", oneInstant);
    m.put("spreadMs", spreadMs);
    m.put("pass", pass.id);
    m.put("kind", pass.kind.word());
    m.put("verified", verified.word());
    m.put("from", state.site(TowState.source(leg)).name);
    m.put("to", state.site(TowState.source(leg).other()).name);
    m.put("lane", Json.MAPPER.convertValue(Json.read(state.lane.plan, LanePlan.class), Map.class));
    m.put(
        "machines",
        state.members.stream().map(x -> machine(x, Passes.disks(pass), state)).toList());
    try {
      return YAML.writeValueAsString(m).getBytes(StandardCharsets.UTF_8);
    } catch (JsonProcessingException e) {
      throw new IllegalStateException(e);
    }
  }

  private static Map<String, Object> machine(
      MemberEntity member, List<PassDisk> disks, TowState state) {
    Map<String, Object> m = new LinkedHashMap<>();
    m.put("id", member.id);
    m.put("name", member.name);
    m.put("rank", member.rank);
    m.put("size", member.size);
    m.put(
        "facts",
        Json.MAPPER.convertValue(
            Json.read(state.facts.get(member.machineId), MachineFacts.class), Map.class));
    m.put(
        "disks",
        disks.stream()
            .filter(d -> d.memberId().equals(member.id))
            .map(
                d ->
                    Map.of(
                        "disk",
                        d.disk(),
                        "volume",
                        d.to().volume(),
                        "bytes",
                        d.bytes(),
                        "digest",
                        d.root(),
                        "digests",
                        d.digests().volume()))
            .toList());
    return m;
  }
}
