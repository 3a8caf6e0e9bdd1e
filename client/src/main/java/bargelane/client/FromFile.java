package bargelane.client;

import bargelane.api.ImportResult;
import java.nio.file.Path;
import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.Map;
import picocli.CommandLine.Option;

/** A list that is given as a CSV file (docs/formats/lists.md). */
public abstract class FromFile extends Common {
  private static final Duration PATIENCE = Duration.ofMinutes(15);

  @Option(names = "--csv", paramLabel = "FILE", required = true, description = "The CSV file.")
  Path csv;

  @Option(names = "--dry-run", description = "Only say what would become of it.")
  boolean dryRun;

  protected int give(String path, boolean whole, String rows, String things) {
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("csv", textOf("--csv", csv));
    body.put("dryRun", dryRun);
    body.put("whole", whole);
    return imported(api().post(path, body, ImportResult.class, PATIENCE), rows, things);
  }
}
