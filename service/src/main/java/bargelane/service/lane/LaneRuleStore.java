package bargelane.service.lane;

import bargelane.core.lane.Rule;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Setting;
import bargelane.core.word.Worded;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.hibernate.Session;

/**
 * The rows of what lanes decide for some machines only. A decision for a disk stays with its
 * volume: its number is the disk's place among those that the machine has now. One for a disk that
 * the machine does not have any more is numbered beyond all that it has, so that it counts for no
 * other and counts again when the disk is back.
 */
public final class LaneRuleStore {

  private static final String PART =
      "(case when r.volume = '' then r.part else (select coalesce(min(d.place) filter"
          + " (where d.disk ->> 'volume' = r.volume) - 1, count(*) + r.part)"
          + " from machine m, jsonb_array_elements(m.facts -> 'disks')"
          + " with ordinality d(disk, place) where m.id = r.machine_id) end)";

  private static final String COLUMNS =
      "select scope, subject, "
          + PART
          + " as part, setting, value from lane_rule r where lane_id = ?";

  private LaneRuleStore() {}

  /** Those of a lane, in the order of what they are for. */
  public static List<Rule> all(Session s, String lane) {
    return s.doReturningWork(
        c -> {
          try (PreparedStatement q =
              c.prepareStatement(COLUMNS + " order by scope, subject, 3, setting")) {
            q.setString(1, lane);
            return rules(q);
          }
        });
  }

  /** Those of a lane that join what is at its source: none of them is for machines. */
  static List<Rule> joins(Session s, String lane) {
    return s.doReturningWork(
        c -> {
          try (PreparedStatement q =
              c.prepareStatement(COLUMNS + " and scope in ('network', 'storage', 'lane')")) {
            q.setString(1, lane);
            return rules(q);
          }
        });
  }

  /**
   * Those of a lane that can count for some machines.
   *
   * @param wave that they are in
   */
  public static List<Rule> of(Session s, String lane, String wave, Collection<String> machines) {
    return s.doReturningWork(
        c -> {
          try (PreparedStatement q =
              c.prepareStatement(
                  COLUMNS
                      + " and (machine_id is null or machine_id = any(?))"
                      + " and (wave_id is null or wave_id = ?)")) {
            q.setString(1, lane);
            q.setArray(2, c.createArrayOf("text", machines.toArray()));
            q.setString(3, wave);
            return rules(q);
          }
        });
  }

  private static List<Rule> rules(PreparedStatement q) throws SQLException {
    try (ResultSet r = q.executeQuery()) {
      List<Rule> rules = new ArrayList<>();
      while (r.next()) {
        rules.add(
            new Rule(
                Worded.of(RuleScope.class, r.getString(1)),
                r.getString(2),
                r.getInt(3),
                Worded.of(Setting.class, r.getString(4)),
                r.getString(5)));
      }
      return rules;
    }
  }

  /** Stores rules, in their order; of two of one thing and setting the later one counts. */
  static void put(Session s, String lane, List<Rule> rules) {
    rules.stream().filter(r -> r.scope() == RuleScope.DISK).forEach(r -> drop(s, lane, r));
    s.doWork(
        c -> {
          try (PreparedStatement q =
              c.prepareStatement(
                  "insert into lane_rule (lane_id, scope, subject, part, setting, value, machine_id,"
                      + " wave_id, volume) values (?, ?, ?, ?, ?, ?, ?, ?, coalesce((select"
                      + " m.facts -> 'disks' -> ? ->> 'volume' from machine m where m.id = ?), ''))"
                      + " on conflict (lane_id, scope, subject, part, setting, volume)"
                      + " do update set value = excluded.value")) {
            for (Rule rule : rules) {
              q.setString(1, lane);
              q.setString(2, rule.scope().word());
              q.setString(3, rule.of());
              q.setInt(4, rule.part());
              q.setString(5, rule.setting().word());
              q.setString(6, rule.value());
              q.setString(7, machine(rule).orElse(null));
              q.setString(8, rule.scope() == RuleScope.WAVE ? rule.of() : null);
              q.setInt(9, rule.part());
              q.setString(10, rule.scope() == RuleScope.DISK ? rule.of() : null);
              q.addBatch();
            }
            q.executeBatch();
          }
        });
  }

  /**
   * Has what is decided of a machine's disks hold for the volumes that have taken their place.
   *
   * @param volumes those that were, with those that are
   */
  public static void follow(Session s, String machine, Map<String, String> volumes) {
    s.doWork(
        c -> {
          try (PreparedStatement q =
              c.prepareStatement(
                  "update lane_rule set volume = ? where machine_id = ? and volume = ?")) {
            for (Map.Entry<String, String> e : volumes.entrySet()) {
              q.setString(1, e.getValue());
              q.setString(2, machine);
              q.setString(3, e.getKey());
              q.addBatch();
            }
            q.executeBatch();
          }
        });
  }

  private static Optional<String> machine(Rule rule) {
    return switch (rule.scope()) {
      case MACHINE, CARD, DISK -> Optional.of(rule.of());
      default -> Optional.empty();
    };
  }

  /**
   * Removes the rule of this thing and setting, whatever its value; gives whether there was one.
   */
  static boolean drop(Session s, String lane, Rule rule) {
    return s.doReturningWork(
        c -> {
          try (PreparedStatement q =
              c.prepareStatement(
                  "delete from lane_rule r where lane_id = ? and scope = ? and subject = ? and "
                      + PART
                      + " = ? and setting = ?")) {
            q.setString(1, lane);
            q.setString(2, rule.scope().word());
            q.setString(3, rule.of());
            q.setInt(4, rule.part());
            q.setString(5, rule.setting().word());
            return q.executeUpdate() > 0;
          }
        });
  }
}
