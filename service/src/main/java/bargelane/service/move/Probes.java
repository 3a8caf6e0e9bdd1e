package bargelane.service.move;

import bargelane.api.ProbeRequest;
import bargelane.api.ProbeView;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.wave.ProbePlan;
import bargelane.core.word.Worded;
import bargelane.service.plan.Plans;
import bargelane.service.plan.Waves;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.TowState;
import java.util.List;
import java.util.Objects;

/** How it is seen, machine by machine, that a wave's machines do their work. */
public final class Probes {

  private final Services services;
  private final Waves waves;

  public Probes(Services services, Waves waves) {
    this.services = services;
    this.waves = waves;
  }

  /** Those of a wave. */
  public List<ProbeView> of(String wave) {
    TowState state = waves.state(wave);
    return state.members.stream().map(m -> view(m, Plans.facts(state, m))).toList();
  }

  private static ProbeView view(MemberEntity m, MachineFacts facts) {
    ProbePlan p = Plans.probe(m);
    return new ProbeView(
        m.name,
        p.kind().word(),
        p.port(),
        p.path(),
        p.withinSeconds(),
        m.probe != null,
        facts.ingress().stream().map(i -> i.protocol() + " " + i.port()).distinct().toList());
  }

  /** Changes what is asked of one machine. */
  public List<ProbeView> choose(String wave, ProbeRequest asked, String by) {
    TowState state = waves.state(wave);
    MemberEntity member = Waves.member(state, asked.machine());
    ProbePlan was = Plans.probe(member);
    ProbePlan plan =
        new ProbePlan(
            asked.kind() == null ? was.kind() : kind(asked.kind()),
            Objects.requireNonNullElse(asked.port(), was.port()),
            Objects.requireNonNullElse(asked.path(), was.path()),
            Objects.requireNonNullElse(asked.withinSeconds(), was.withinSeconds()));
    plan.wrong()
        .ifPresent(
            wrong -> {
              throw ProblemException.invalid("probe-malformed", wrong, "correct it and ask again");
            });
    services
        .db()
        .run(
            s -> {
              s.find(MemberEntity.class, member.id).probe =
                  plan.equals(ProbePlan.USUAL) ? null : Json.text(plan);
              services
                  .events()
                  .tell(
                      s,
                      "wave",
                      state.tow.id,
                      null,
                      by + " changed how " + member.name + " is probed",
                      null);
            });
    return of(wave);
  }

  private static ProbePlan.Kind kind(String word) {
    try {
      return Worded.of(ProbePlan.Kind.class, word);
    } catch (IllegalArgumentException e) {
      throw ProblemException.invalid(
          "probe-malformed", "'" + word + "' is no kind of probe", "give http, tcp or none");
    }
  }
}
