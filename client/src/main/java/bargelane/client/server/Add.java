package bargelane.client.server;

import static bargelane.client.Output.*;

import bargelane.api.ImportResult;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;

/** Add servers to a site, from the command line or from a CSV file. */
@Command(
    name = "add",
    description = "Add servers to a site, from the command line or from a CSV file.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane server add branches 10.20.9.7 10.20.9.8:2222",
      "  bargelane server add branches --csv servers.csv --dry-run"
    })
final class Add extends OfServers implements Callable<Integer> {
  @Parameters(
      index = "1..*",
      paramLabel = "ADDRESS",
      description = "A name or an address, with :PORT if it is not 22.")
  List<String> addresses = List.of();

  @Option(
      names = "--csv",
      paramLabel = "FILE",
      description = "CSV file with the column address and, if wanted, host_key.")
  Path csv;

  @Option(names = "--dry-run", description = "Only say what is wrong in it.")
  boolean dryRun;

  @Override
  public Integer call() {
    if (addresses.isEmpty() == (csv == null)) {
      throw new ParameterException(spec.commandLine(), "give addresses, or a file with --csv FILE");
    }
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("addresses", addresses);
    body.put("csv", csv == null ? "" : textOf("--csv", csv));
    body.put("dryRun", dryRun);
    return imported(api().post(path(), body, ImportResult.class), "servers", "");
  }
}
