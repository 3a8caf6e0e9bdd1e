package bargelane.client.assessment;

import java.math.BigDecimal;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import picocli.CommandLine.ArgGroup;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Spec;
import picocli.CommandLine.Spec.Target;

/** What an assessment takes for granted; what is not given stays as it was, or is as usual. */
final class AssumptionOptions {

  private static final List<String> RESOURCES = List.of("cpu", "memory", "disk", "network");

  @Spec(Target.MIXEE)
  CommandSpec spec;

  @ArgGroup(validate = false, heading = "%nWhat it must carry:%n")
  Carry carry = new Carry();

  @ArgGroup(validate = false, heading = "%nHow it runs there:%n")
  Run run = new Run();

  @ArgGroup(validate = false, heading = "%nWhat is agreed:%n")
  Agreed agreed = new Agreed();

  /** What it must carry. */
  static final class Carry {
    @Option(
        names = "--basis",
        paramLabel = "BASIS",
        description = "By which sizes are accepted: configured or observed.")
    String basis;

    @Option(
        names = "--days",
        paramLabel = "DAYS",
        description = "Whole days that are looked at (30).")
    Integer days;

    @Option(
        names = "--until",
        paramLabel = "DAY",
        description = "First day that is not looked at (today), as 2026-11-20.")
    String until;

    @Option(
        names = "--percentile",
        paramLabel = "PERCENT",
        description =
            "50 to 100: the share of samples that a size must carry (95; such as 90, 98, 99.5).")
    Double percentile;

    @Option(
        names = "--sustained",
        paramLabel = "HOURS",
        description = "The busiest so many hours on end are carried as well (4; 0 for not).")
    Integer sustained;

    @Option(
        names = "--headroom",
        paramLabel = "PERCENT",
        split = ",",
        description = "Percent beyond the observed (20), or cpu=20,memory=30,disk=0,network=0.")
    List<String> headroom;

    @Option(
        names = "--generation-factor",
        split = ",",
        paramLabel = "GENERATION=FACTOR",
        description = "How many of today's processors one of a generation is worth (1).")
    Map<String, Double> factors;
  }

  /** How it runs there. */
  static final class Run {
    @Option(
        names = "--family",
        paramLabel = "FAMILY",
        split = ",",
        description = "Families of sizes that may be chosen.")
    List<String> families;

    @Option(
        names = "--generation",
        paramLabel = "GENERATION",
        split = ",",
        description = "Generations that may be chosen.")
    List<String> generations;

    @Option(names = "--zone", paramLabel = "ZONE", description = "Where the size must be offered.")
    String zone;

    @Option(
        names = "--hours",
        paramLabel = "HOURS",
        description = "Hours a week for which machines run (168).")
    BigDecimal hours;

    @Option(
        names = "--running",
        paramLabel = "HOURS:FILTER",
        description = "Other hours a week for some, as \"60:label.role = batch\".")
    List<String> runningHours;
  }

  /** What is agreed. */
  static final class Agreed {
    @Option(
        names = "--commitment",
        paramLabel = "COMMITMENT",
        description = "none, \"1 year\" or \"3 years\".")
    String commitment;

    @Option(
        names = "--discount",
        paramLabel = "PERCENT",
        description = "Percent, on everything but licences.")
    BigDecimal discount;

    @Option(
        names = "--growth",
        paramLabel = "PERCENT",
        description = "Percent a year, of what lies on disks and is sent.")
    BigDecimal growth;

    @Option(
        names = "--own-licence",
        paramLabel = "LICENCE",
        split = ",",
        description = "Licences that are brought along.")
    List<String> ownLicences;

    @Option(
        names = "--horizon",
        paramLabel = "MONTHS",
        description = "Months over which costs are summed (36).")
    Integer horizon;
  }

  /** What was given, as the API takes it. */
  Map<String, Object> given() {
    Map<String, Object> all = new LinkedHashMap<>();
    put(all, "basis", carry.basis);
    put(all, "percentile", carry.percentile);
    put(all, "days", carry.days);
    put(all, "until", carry.until);
    put(all, "sustainedHours", carry.sustained);
    put(all, "headroom", carry.headroom == null ? null : headroom());
    put(all, "families", run.families);
    put(all, "generations", run.generations);
    put(all, "zone", run.zone);
    put(all, "generationFactors", carry.factors);
    put(all, "commitment", agreed.commitment);
    put(all, "hoursAWeek", run.hours);
    put(
        all,
        "runningHours",
        run.runningHours == null ? null : run.runningHours.stream().map(this::running).toList());
    put(all, "discountPercent", agreed.discount);
    put(all, "ownLicences", agreed.ownLicences);
    put(all, "growthPercent", agreed.growth);
    put(all, "horizonMonths", agreed.horizon);
    return all;
  }

  private static void put(Map<String, Object> all, String name, Object value) {
    if (value != null) {
      all.put(name, value);
    }
  }

  private Map<String, Double> headroom() {
    Map<String, Double> all = new LinkedHashMap<>();
    for (String one : carry.headroom) {
      int equals = one.indexOf('=');
      String resource = equals < 0 ? "" : one.substring(0, equals);
      double percent;
      try {
        percent = Double.parseDouble(one.substring(equals + 1));
      } catch (NumberFormatException e) {
        throw new ParameterException(
            spec.commandLine(), "'" + one + "' is not a headroom: write it as 20, or as cpu=20");
      }
      if (resource.isEmpty()) {
        RESOURCES.forEach(r -> all.put(r, percent));
      } else if (RESOURCES.contains(resource)) {
        all.put(resource, percent);
      } else {
        throw new ParameterException(
            spec.commandLine(),
            "there is no headroom of '" + resource + "': write one of " + RESOURCES);
      }
    }
    return all;
  }

  private Map<String, Object> running(String told) {
    int colon = told.indexOf(':');
    try {
      return Map.of(
          "hoursAWeek",
          new BigDecimal(told.substring(0, Math.max(0, colon)).strip()),
          "filter",
          told.substring(colon + 1).strip());
    } catch (NumberFormatException e) {
      throw new ParameterException(
          spec.commandLine(),
          "'" + told + "' is not hours and a filter: write them as \"60:label.role = batch\"");
    }
  }
}
