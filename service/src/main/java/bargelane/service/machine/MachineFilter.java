package bargelane.service.machine;

import bargelane.core.filter.Filter;
import bargelane.core.filter.FilterException;
import bargelane.service.platform.ProblemException;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.stream.Collectors;

/** A filter as a condition of HQL on a machine {@code m}, its values as positional parameters. */
public final class MachineFilter {

  private static final String IN_WAVE =
      "m.id in (select w.machineId from MachineWaveEntity w where ";
  private static final String IN_NONE = "m.id not in (select w.machineId from MachineWaveEntity w)";
  private static final String WITHIN =
      "m.id in (select a.machineId from MachineAddressEntity a where ";
  private static final String TOLD_BY =
      "m.id in (select g.machineId from SightingEntity g join SiteEntity sg on sg.id = g.siteId where ";
  private static final String AT_SITE = "m.siteId in (select st.id from SiteEntity st where ";

  private final List<Object> parameters = new ArrayList<>();
  private final String condition;

  private final String labels;

  private MachineFilter(Filter filter, String labels) {
    this.labels = labels;
    condition = condition(filter);
  }

  /** Reads an expression; what can't be read is told with its character. */
  public static MachineFilter of(String expression) {
    return of(expression, "m.labels");
  }

  /** The same, by the labels of platforms and those by hand only. */
  static MachineFilter ofTold(String expression) {
    return of(expression, "m.toldLabels");
  }

  /** What both of two expressions choose. */
  static MachineFilter ofBoth(String expression, String other) {
    // Each is read by itself: what is in one can't end the other.
    return new MachineFilter(new Filter.And(List.of(parse(expression), parse(other))), "m.labels");
  }

  private static MachineFilter of(String expression, String labels) {
    return new MachineFilter(parse(expression), labels);
  }

  private static Filter parse(String expression) {
    try {
      return Filter.parse(expression);
    } catch (FilterException e) {
      throw ProblemException.invalid(
          "filter-malformed",
          e.getMessage() + ", at character " + (e.position() + 1) + " of the filter",
          e.remedy());
    }
  }

  public String condition() {
    return condition;
  }

  public Object[] parameters() {
    return parameters.toArray();
  }

  private String value(Object value) {
    parameters.add(value);
    return "?" + parameters.size();
  }

  private String joined(List<Filter> parts, String by) {
    return parts.stream().map(this::condition).collect(Collectors.joining(by, "(", ")"));
  }

  private String condition(Filter f) {
    if (f instanceof Filter.And and) {
      return joined(and.all(), " and ");
    }
    if (f instanceof Filter.Or or) {
      return joined(or.any(), " or ");
    }
    if (f instanceof Filter.Not not) {
      return "not " + joined(List.of(not.one()), "");
    }
    if (f instanceof Filter.Flag flag) {
      return switch (flag.field()) {
        case ON -> "m.powered = true";
        case FENCED -> "m.fenced = true";
        default -> "m.vanishedAt is not null";
      };
    }
    if (f instanceof Filter.Number number) {
      String column =
          switch (number.field()) {
            case CPUS -> "m.cpus";
            case DISKS -> "m.diskCount";
            case MEMORY -> "m.memoryBytes";
            default -> "m.diskBytes";
          };
      String relation =
          number.relation() == Filter.Relation.UNEQUAL ? "<>" : number.relation().sign();
      // Not narrowed to the column's type: a number past its range is compared all the same.
      return "cast(" + column + " as long) " + relation + " " + value(number.value());
    }
    if (f instanceof Filter.Within within) {
      return within.blocks().stream()
          .map(b -> WITHIN + yes("? <<= cast(? as inet)", "a.address, " + value(b)) + ")")
          .collect(Collectors.joining(" or ", "(", ")"));
    }
    if (f instanceof Filter.Text text) {
      return text.values().stream()
          .map(v -> text(text, v.toLowerCase(Locale.ROOT)))
          .collect(Collectors.joining(" or ", "(", ")"));
    }
    return "1 = 1";
  }

  private static String yes(String function, String arguments) {
    return "cast(sql('" + function + "', " + arguments + ") as Boolean) = true";
  }

  private String text(Filter.Text text, String wanted) {
    if (text.field() == Filter.Field.NETWORK) {
      return yes(
          "machine_on_network(?, ?, ?)", "m.facts, " + value(wanted) + ", " + value(text.part()));
    }
    if (text.part() && wanted.isEmpty()) {
      return "1 = 1";
    }
    // Found once, and not once a machine.
    if (text.field() == Filter.Field.WAVE) {
      return wanted.isEmpty() ? IN_NONE : IN_WAVE + is("w.waveName", text.part(), wanted) + ")";
    }
    if (text.field() == Filter.Field.SITE) {
      // Its home, or any other that tells of it.
      return "("
          + AT_SITE
          + is("st.name", text.part(), wanted)
          + ") or "
          + TOLD_BY
          + is("sg.name", text.part(), wanted)
          + "))";
    }
    String told =
        switch (text.field()) {
          case NAME -> "m.name";
          case ID -> "m.id";
          case OS -> "m.os";
          case FIRMWARE -> "m.firmware";
          default ->
              "coalesce(cast(sql('? ->> ?', "
                  + labels
                  + ", "
                  + value(text.label())
                  + ") as String), '')";
        };
    return is(told, text.part(), wanted);
  }

  private String is(String told, boolean part, String wanted) {
    return part
        ? "locate(" + value(wanted) + ", lower(" + told + ")) > 0"
        : "lower(" + told + ") = " + value(wanted);
  }
}
