package bargelane.service.machine;

import bargelane.api.CsvImport;
import bargelane.api.ImportResult;
import bargelane.api.LabelRuleAdd;
import bargelane.api.LabelRuleView;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.service.event.Events;
import bargelane.service.platform.CsvTable;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.text.Counts;
import com.fasterxml.jackson.core.type.TypeReference;
import java.time.Clock;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import org.hibernate.Session;

/**
 * Rules that give labels to whoever a filter chooses, now and later: they are gone through whenever
 * what is known of machines has changed. A rule sees the labels of platforms and those by hand, not
 * those of other rules. Of two rules that give one label the older counts; a label by hand goes
 * before them all, and they before the platform's.
 *
 * <p>Whoever changes machines or rules in a way that a rule may answer to holds {@link #lock} from
 * the start of its transaction: of two at once, neither sees what the other has not committed, and
 * one would take away what the other has just given.
 */
public final class LabelRules {

  private static final int MOST = 200;

  private final Db db;
  private final Events events;
  private final Clock clock;

  public LabelRules(Db db, Events events, Clock clock) {
    this.db = db;
    this.events = events;
    this.clock = clock;
  }

  private static List<LabelRuleEntity> rules(Session s) {
    return Db.list(s, LabelRuleEntity.class, "from LabelRuleEntity order by number");
  }

  public List<LabelRuleView> list() {
    return db.tx(s -> rules(s).stream().map(r -> view(s, r)).toList());
  }

  public LabelRuleView view(String id) {
    return db.tx(s -> view(s, known(s, id)));
  }

  private static LabelRuleEntity known(Session s, String id) {
    LabelRuleEntity r = s.find(LabelRuleEntity.class, id);
    if (r == null) {
      throw new ProblemException(
          404,
          "rule-unknown",
          "there is no rule '" + id + "'",
          Remedy.of("list them", Action.LABEL_LIST));
    }
    return r;
  }

  private static LabelRuleView view(Session s, LabelRuleEntity r) {
    long machines =
        ((Number)
                s.createNativeQuery(
                        "select count(*) from machine where rule_labels @> cast(:label as jsonb)",
                        Object.class)
                    .setParameter("label", Json.text(Map.of(r.name, r.value)))
                    .getSingleResult())
            .longValue();
    return new LabelRuleView(r.id, r.filter, r.name, r.value, r.madeBy, r.madeAt, machines);
  }

  public LabelRuleView add(LabelRuleAdd asked, String by) {
    check(asked);
    return db.tx(
        s -> {
          lock(s);
          fit(rules(s).size() + 1);
          LabelRuleEntity r = rule(asked, by);
          s.persist(r);
          int changed = apply(s);
          events.tell(
              s,
              "machine",
              "",
              "",
              by
                  + " made a rule for the label "
                  + r.name
                  + ": "
                  + Counts.of(changed, "machine")
                  + " changed",
              null);
          return view(s, r);
        });
  }

  public void remove(String id, String by) {
    db.run(
        s -> {
          lock(s);
          LabelRuleEntity r = known(s, id);
          s.remove(r);
          int changed = apply(s);
          events.tell(
              s,
              "machine",
              "",
              "",
              by
                  + " removed a rule for the label "
                  + r.name
                  + ": "
                  + Counts.of(changed, "machine")
                  + " changed",
              null);
        });
  }

  /**
   * Has labels given by these rules and no others; rules of other labels stay. All are gone through
   * once.
   *
   * @param wanted by label, in their order; none to have it given by no rule
   */
  public void replace(Map<String, List<LabelRuleAdd>> wanted, String by) {
    wanted.values().forEach(of -> of.forEach(LabelRules::check));
    db.run(
        s -> {
          lock(s);
          List<LabelRuleEntity> all = rules(s);
          List<LabelRuleEntity> former =
              all.stream().filter(r -> wanted.containsKey(r.name)).toList();
          fit(all.size() - former.size() + wanted.values().stream().mapToInt(List::size).sum());
          former.forEach(s::remove);
          s.flush();
          for (List<LabelRuleAdd> of : wanted.values()) {
            for (LabelRuleAdd asked : of) {
              s.persist(rule(asked, by));
              // One after the other: the database numbers them.
              s.flush();
            }
          }
          int changed = apply(s);
          events.tell(
              s,
              "machine",
              "",
              "",
              by
                  + " changed the rules for "
                  + Counts.of(wanted.size(), "label")
                  + ": "
                  + Counts.of(changed, "machine")
                  + " changed",
              null);
        });
  }

  /** Refuses a rule that can't be. */
  public static void check(LabelRuleAdd asked) {
    Machines.checkLabel(asked.name() == null ? "" : asked.name(), asked.value());
    if (asked.filter() == null || asked.filter().isBlank()) {
      throw ProblemException.invalid(
          "filter-missing", "the rule has no filter", "give one, as \"name has lending\"");
    }
    MachineFilter.ofTold(asked.filter());
  }

  private static void fit(int rules) {
    if (rules > MOST) {
      throw ProblemException.conflict(
          "too-many-rules", "there may be " + MOST + " rules, not " + rules, "remove one first");
    }
  }

  private LabelRuleEntity rule(LabelRuleAdd asked, String by) {
    LabelRuleEntity r = new LabelRuleEntity();
    r.id = Ids.next("lr");
    r.filter = asked.filter().strip();
    r.name = asked.name();
    r.value = asked.value();
    r.madeBy = by;
    r.madeAt = clock.instant();
    return r;
  }

  /**
   * Goes through all rules, in the caller's transaction, which began with {@link #lock}; what is as
   * it should be is not written.
   *
   * @return machines whose labels changed
   */
  public static int apply(Session s) {
    lock(s);
    s.flush();
    List<LabelRuleEntity> rules = rules(s);
    Map<String, Map<String, String>> wanted = new HashMap<>();
    for (int i = rules.size() - 1; i >= 0; i--) {
      LabelRuleEntity r = rules.get(i);
      MachineFilter of = MachineFilter.ofTold(r.filter);
      for (String id :
          Db.list(
              s,
              String.class,
              "select m.id from MachineEntity m where " + of.condition(),
              of.parameters())) {
        wanted.computeIfAbsent(id, x -> new TreeMap<>()).put(r.name, r.value);
      }
    }
    List<Object[]> held =
        s.createNativeQuery(
                "select id, cast(rule_labels as text) from machine where rule_labels <> '{}'",
                Object[].class)
            .getResultList();
    for (Object[] row : held) {
      Map<String, String> now =
          Json.read((String) row[1], new TypeReference<TreeMap<String, String>>() {});
      if (now.equals(wanted.get((String) row[0]))) {
        wanted.remove((String) row[0]);
      } else {
        wanted.putIfAbsent((String) row[0], Map.of());
      }
    }
    if (!wanted.isEmpty()) {
      List<String> ids = new ArrayList<>(wanted.keySet());
      s.createNativeMutationQuery(
              "update machine m set rule_labels = cast(x.labels as jsonb)"
                  + " from unnest(cast(:ids as text[]), cast(:labels as text[])) x(id, labels) where m.id = x.id")
          .setParameter("ids", ids.toArray(String[]::new))
          .setParameter(
              "labels", ids.stream().map(id -> Json.text(wanted.get(id))).toArray(String[]::new))
          .executeUpdate();
    }
    return wanted.size();
  }

  /**
   * Lets one transaction at a time change what labels come from. It is taken before any row of a
   * site or of a machine is: whoever has such a row and waits here may wait for ever.
   */
  public static void lock(Session s) {
    Db.lock(s, "labels");
  }

  /** Labels by hand from a list: of each machine those that its line gives. */
  public ImportResult list(CsvImport asked, String by) {
    if (asked.csv() == null || asked.csv().isBlank()) {
      throw ProblemException.invalid("list-missing", "the list is empty", "give a CSV file");
    }
    return db.tx(
        s -> {
          lock(s);
          Map<String, Map<String, String>> labels = new LinkedHashMap<>();
          CsvTable table =
              CsvTable.each(
                  asked.csv(),
                  List.of("machine"),
                  List.of("label.*"),
                  (of, row) -> {
                    ListedMachines.Named machine = ListedMachines.named(s, row.text("machine"));
                    if (machine.id().isEmpty()) {
                      row.wrong("machine", machine.why());
                    } else if (labels.put(machine.id().get(), row.labels()) != null) {
                      row.wrong("machine", "'" + row.text("machine") + "' is there twice");
                    }
                    row.labels()
                        .forEach(
                            (name, value) -> {
                              try {
                                Machines.checkLabel(name, value);
                              } catch (ProblemException e) {
                                row.wrong("label." + name, e.getMessage());
                              }
                            });
                  });
          boolean store = table.sound() && !asked.dryRun();
          int changed = 0;
          for (Map.Entry<String, Map<String, String>> e : labels.entrySet()) {
            MachineEntity m = s.find(MachineEntity.class, e.getKey());
            Map<String, String> own = Machines.labels(m.ownLabels);
            Map<String, String> now = new TreeMap<>(own);
            now.putAll(e.getValue());
            if (!now.equals(own)) {
              changed++;
              if (store) {
                m.ownLabels = Json.text(now);
              }
            }
          }
          if (store && changed > 0) {
            apply(s);
            events.tell(
                s,
                "machine",
                "",
                "",
                by + " labelled " + Counts.of(changed, "machine") + " from a list",
                null);
          }
          return table.result(0, changed, store);
        });
  }
}
