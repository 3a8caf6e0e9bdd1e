package bargelane.bench;

import bargelane.e2e.Harness;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;

/** Processor time of a harness's processes, and its database's transactions. */
final class ProcessTimes {

  private ProcessTimes() {}

  /** Seconds of service, both platforms and the database's server with all its processes. */
  static Map<String, Double> of(Harness harness) throws IOException {
    Map<String, Double> cpu = new LinkedHashMap<>();
    for (String name : List.of("service", "estate", "cloud")) {
      cpu.put(name, seconds(harness.process(name).pid(), false));
    }
    long postmaster =
        Long.parseLong(Files.readAllLines(find(harness.home().resolve("database"))).get(0).strip());
    double database = seconds(postmaster, true);
    for (long child : children(postmaster)) {
      database += seconds(child, false);
    }
    cpu.put("database", database);
    return cpu;
  }

  private static Path find(Path dir) throws IOException {
    try (Stream<Path> all = Files.walk(dir, 2)) {
      return all.filter(p -> p.getFileName().toString().equals("postmaster.pid"))
          .findFirst()
          .orElseThrow();
    }
  }

  private static List<Long> children(long parent) throws IOException {
    List<Long> found = new ArrayList<>();
    try (Stream<Path> all = Files.list(Path.of("/proc"))) {
      for (Path p : all.filter(x -> x.getFileName().toString().matches("\\d+")).toList()) {
        try {
          if (Long.parseLong(stat(p)[1]) == parent) {
            found.add(Long.parseLong(p.getFileName().toString()));
          }
        } catch (IOException e) {
          // It has ended meanwhile.
        }
      }
    }
    return found;
  }

  /** Fields of {@code /proc/PID/stat} from the third on (proc(5)). */
  private static String[] stat(Path process) throws IOException {
    String line = Files.readString(process.resolve("stat"));
    return line.substring(line.lastIndexOf(')') + 2).split(" ");
  }

  private static double seconds(long pid, boolean withEndedChildren) throws IOException {
    String[] stat = stat(Path.of("/proc/" + pid));
    long ticks = Long.parseLong(stat[11]) + Long.parseLong(stat[12]);
    if (withEndedChildren) {
      ticks += Long.parseLong(stat[13]) + Long.parseLong(stat[14]);
    }
    // USER_HZ is 100 on Linux.
    return ticks / 100.0;
  }

  /** Transactions that the database has ended since it was made. */
  static long transactions(Harness harness) throws SQLException, IOException {
    try (Connection c = connect(harness);
        Statement s = c.createStatement();
        ResultSet r =
            s.executeQuery(
                "select xact_commit + xact_rollback from pg_stat_database where datname = current_database()")) {
      r.next();
      return r.getLong(1);
    }
  }

  /** A connection to a harness's database. */
  static Connection connect(Harness harness) throws SQLException, IOException {
    return DriverManager.getConnection(
        harness.databaseUrl(),
        "bargelane",
        Files.readString(harness.home().resolve("database/password")).strip());
  }
}
