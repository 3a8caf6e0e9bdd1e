package bargelane.client.estate;

import static bargelane.client.Output.*;

import bargelane.api.EstateExport;
import bargelane.api.EstateExportAsk;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Write what is set up as an estate file. */
@Command(
    name = "export",
    description =
        "Write what is set up as an estate file: to FILE, or to the terminal where none is given.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane estate export estate.yaml",
      "  bargelane estate export lanes.yaml --only lanes,waves"
    })
final class Export extends Common implements Callable<Integer> {
  @Parameters(
      index = "0",
      arity = "0..1",
      paramLabel = "FILE",
      description = "To write; what is there is replaced.")
  Path file;

  @Option(
      names = "--only",
      split = ",",
      paramLabel = "SECTION",
      description = "Only these: sites, timetables, labels, lanes, waves.")
  List<String> only = List.of();

  @Override
  public Integer call() {
    Answer<EstateExport> written =
        api().post("/estate/exports", new EstateExportAsk(only), EstateExport.class);
    if (output == Output.Form.json) {
      json(out(), written.json());
    } else if (file == null) {
      out().print(written.value().yaml());
      out().flush();
    } else {
      try {
        Files.writeString(file, written.value().yaml());
      } catch (IOException e) {
        throw new UsageException("the file " + file + " can't be written: " + e.getMessage());
      }
      out().println(file + " written.");
    }
    return 0;
  }
}
