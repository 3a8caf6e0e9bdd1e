package bargelane.standins;

import bargelane.standins.Platform.Machine;
import java.io.DataOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.time.DayOfWeek;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;

/**
 * What a platform tells of the last {@value #KEPT_DAYS} days: five-minute samples of use, and who
 * talked to whom. Everything follows from the machines and the instants alone, so that the same
 * question always has the same answer, and nothing is stored.
 */
final class History {

  static final int KEPT_DAYS = 45;
  static final int STEP_SECONDS = 300;

  /** Values a sample: see {@link #usage}. */
  static final int VALUES = 8;

  private static final double MIB = 1024 * 1024;
  private static final double READ_SIZE = 16 * 1024;
  private static final double WRITE_SIZE = 8 * 1024;
  private static final Set<DayOfWeek> SCAN_DAYS = EnumSet.of(DayOfWeek.TUESDAY, DayOfWeek.THURSDAY);

  /** When a machine is busy. */
  enum Pattern {
    OFFICE,
    EVENING,
    STEADY,
    NIGHTLY,
    MONTHLY,
    SCANDAYS,
    IDLE
  }

  /**
   * What a machine uses when it is busy.
   *
   * @param cpu share of its processors
   * @param memory share of its memory
   * @param days for how many days it was recorded; 0 for as long as anything is kept
   */
  public record Load(
      String pattern,
      double cpu,
      double memory,
      double readMib,
      double writeMib,
      double netMib,
      int days) {}

  /**
   * Connections of a machine's process.
   *
   * @param from who talks to it; null where the machine itself is the one that talks
   * @param to a machine's name or an address
   */
  public record Talk(String from, String to, int port, String process, long perDay, long bytes) {}

  /** Connections of one kind within the asked time. */
  record Conversation(
      String client,
      String server,
      String protocol,
      int port,
      String process,
      long count,
      long bytes,
      Instant firstSeen,
      Instant lastSeen) {}

  /** An answer that is written while it is made. */
  interface Body {
    void write(OutputStream out) throws IOException;
  }

  private final List<Machine> machines;
  private final Map<String, Load> loads;
  private final Map<String, List<Talk>> talks;

  History(List<Machine> machines, Map<String, Load> loads, Map<String, List<Talk>> talks) {
    this.machines = machines;
    this.loads = loads;
    this.talks = talks;
  }

  /**
   * Samples that were complete before now. For each machine that was recorded: its id (as {@link
   * DataOutputStream#writeUTF}), the first sample's beginning in seconds since 1970 (64 bits), the
   * step in seconds and the number of samples (32 bits each), and for each sample eight 32-bit
   * floats: processors in use, bytes of memory in use, bytes read, reads, bytes written, writes,
   * bytes received and bytes sent a second; NaN where nothing was measured. An empty id ends it.
   */
  Body usage(Instant from, Instant to, Instant now) {
    return out -> {
      DataOutputStream data = new DataOutputStream(new java.io.BufferedOutputStream(out, 1 << 16));
      for (Machine machine : machines) {
        Load load = loads.get(machine.id());
        if (load != null && machine.on()) {
          int days = load.days() == 0 ? KEPT_DAYS : load.days();
          Instant kept = now.minus(Duration.ofDays(days));
          long first =
              -Math.floorDiv(-(from.isBefore(kept) ? kept : from).getEpochSecond(), STEP_SECONDS);
          long end = Math.floorDiv((to.isAfter(now) ? now : to).getEpochSecond(), STEP_SECONDS);
          if (end > first) {
            data.writeUTF(machine.id());
            data.writeLong(first * STEP_SECONDS);
            data.writeInt(STEP_SECONDS);
            data.writeInt((int) (end - first));
            for (long slot = first; slot < end; slot++) {
              for (float value : sample(machine, load, slot)) {
                data.writeFloat(value);
              }
            }
          }
        }
      }
      data.writeUTF("");
      data.flush();
    };
  }

  /** One sample, by the number of its step since 1970. */
  static float[] sample(Machine machine, Load load, long slot) {
    float[] values = new float[VALUES];
    LocalDateTime at = LocalDateTime.ofEpochSecond(slot * STEP_SECONDS, 0, ZoneOffset.UTC);
    if (maintained(at)) {
      java.util.Arrays.fill(values, Float.NaN);
      return values;
    }
    double busy = busy(Pattern.valueOf(load.pattern().toUpperCase(java.util.Locale.ROOT)), at);
    long seed = machine.id().hashCode() * 0x9E3779B97F4A7C15L + slot;
    double spike = unit(seed, 9) < 0.004 ? 2.2 : 1;
    double cpu = Math.min(1, load.cpu() * busy * (0.75 + 0.5 * unit(seed, 0)) * spike + 0.004);
    double memory = load.memory() * (0.88 + 0.12 * busy) * (0.99 + 0.02 * unit(seed, 1));
    double read = load.readMib() * MIB * busy * (0.4 + 1.2 * unit(seed, 2)) * spike;
    double written = load.writeMib() * MIB * busy * (0.4 + 1.2 * unit(seed, 3)) * spike;
    double net = load.netMib() * MIB * busy * (0.5 + unit(seed, 4));
    double inward = 0.2 + 0.3 * unit(machine.id().hashCode(), 5);
    values[0] = (float) (cpu * machine.cpus());
    values[1] = (float) (Math.min(1, memory) * machine.memoryMib() * MIB);
    values[2] = (float) read;
    values[3] = (float) (read / READ_SIZE);
    values[4] = (float) written;
    values[5] = (float) (written / WRITE_SIZE);
    values[6] = (float) (net * inward);
    values[7] = (float) (net * (1 - inward));
    return values;
  }

  /** Every third Sunday the platform was maintained from two to five, and measured nothing. */
  private static boolean maintained(LocalDateTime at) {
    return at.getDayOfWeek() == DayOfWeek.SUNDAY
        && at.getHour() >= 2
        && at.getHour() < 5
        && Math.floorDiv(at.toLocalDate().toEpochDay(), 7) % 3 == 0;
  }

  private static double busy(Pattern pattern, LocalDateTime at) {
    double hour = at.getHour() + at.getMinute() / 60.0;
    boolean weekend = at.getDayOfWeek().getValue() > 5;
    return switch (pattern) {
      case OFFICE -> weekend ? 0.06 : 0.06 + 0.94 * bell(hour, 7.5, 18.5);
      case EVENING -> 0.12 + 0.88 * bell(hour, 9, 23) * (weekend ? 0.8 : 1);
      case STEADY -> 0.8 + 0.2 * Math.sin(hour / 24 * 2 * Math.PI);
      case NIGHTLY -> hour >= 1 && hour < 3.5 ? 1 : 0.05;
      case MONTHLY -> monthsTurn(at) ? 1 : 0.015;
      case SCANDAYS -> SCAN_DAYS.contains(at.getDayOfWeek()) && hour >= 9 && hour < 17 ? 1 : 0.03;
      case IDLE -> 0.3;
    };
  }

  private static boolean monthsTurn(LocalDateTime at) {
    LocalDate day = at.toLocalDate();
    return at.getHour() >= 20 && day.plusDays(1).getDayOfMonth() == 1
        || at.getHour() < 4 && day.getDayOfMonth() == 1;
  }

  private static double bell(double hour, double from, double to) {
    return hour < from || hour > to ? 0 : Math.sin((hour - from) / (to - from) * Math.PI);
  }

  /** A number from 0 to 1 that follows from what is given (the mixer of SplitMix64). */
  static double unit(long seed, int which) {
    long z = seed * 31 + which * 0xD1B54A32D192ED03L;
    z = (z ^ (z >>> 30)) * 0xBF58476D1CE4E5B9L;
    z = (z ^ (z >>> 27)) * 0x94D049BB133111EBL;
    return ((z ^ (z >>> 31)) >>> 11) * 0x1.0p-53;
  }

  /**
   * Who talked to whom. Asking for two neighbouring times and adding up gives what the whole time
   * gives.
   */
  List<Conversation> connections(Instant from, Instant to, Instant now) {
    Instant kept = now.minus(Duration.ofDays(KEPT_DAYS));
    Instant first = from.isBefore(kept) ? kept : from;
    Instant end = to.isAfter(now) ? now : to;
    Map<String, String> addresses = new LinkedHashMap<>();
    machines.stream()
        .filter(m -> !m.nics().isEmpty())
        .forEach(m -> addresses.put(m.name(), m.nics().get(0).address()));
    List<Conversation> all = new ArrayList<>();
    for (Machine machine : machines) {
      for (Talk talk : talks.getOrDefault(machine.id(), List.of())) {
        if (machine.on() && !machine.nics().isEmpty()) {
          String own = machine.nics().get(0).address();
          conversation(
              talk.from() == null ? own : visitor(talk.from(), machine.id()),
              talk.from() == null ? addresses.getOrDefault(talk.to(), talk.to()) : own,
              talk,
              first,
              end,
              all);
        }
      }
    }
    return all;
  }

  /** One of the addresses of a network of visitors. */
  private static String visitor(String network, String id) {
    String host = String.valueOf(30 + (int) (unit(id.hashCode(), 6) * 200));
    return network.substring(0, network.lastIndexOf('.') + 1) + host;
  }

  private static void conversation(
      String client, String server, Talk talk, Instant from, Instant to, List<Conversation> all) {
    long count = 0;
    int seed = (client + server + talk.port()).hashCode();
    Instant firstSeen = null;
    Instant lastSeen = null;
    for (LocalDate day = LocalDate.ofInstant(from, ZoneOffset.UTC);
        day.atStartOfDay(ZoneOffset.UTC).toInstant().isBefore(to);
        day = day.plusDays(1)) {
      Instant begins = day.atStartOfDay(ZoneOffset.UTC).toInstant();
      Instant ends = begins.plus(Duration.ofDays(1));
      double quiet = day.getDayOfWeek().getValue() > 5 ? 0.3 : 1;
      double whole = talk.perDay() * quiet * (0.8 + 0.4 * unit(seed, day.hashCode()));
      Instant a = from.isAfter(begins) ? from : begins;
      Instant b = to.isBefore(ends) ? to : ends;
      long seen = (long) (whole * part(begins, b)) - (long) (whole * part(begins, a));
      if (seen > 0) {
        count += seen;
        firstSeen = firstSeen == null ? a : firstSeen;
        lastSeen = b;
      }
    }
    if (count > 0) {
      all.add(
          new Conversation(
              client,
              server,
              "tcp",
              talk.port(),
              talk.process(),
              count,
              count * talk.bytes(),
              firstSeen,
              lastSeen));
    }
  }

  private static double part(Instant begins, Instant at) {
    return Duration.between(begins, at).toMillis() / 86_400_000.0;
  }
}
