package bargelane.client.estate;

import bargelane.api.EstateImport;
import bargelane.client.Common;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** Print the JSON Schema of estate files. */
@Command(
    name = "schema",
    description =
        "Print the JSON Schema of estate files, by which editors complete and check them as they are typed.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane estate schema > estate.schema.json"})
final class SchemaOf extends Common implements Callable<Integer> {

  @Override
  public Integer call() {
    try (InputStream schema = EstateImport.class.getResourceAsStream("estate.schema.json")) {
      out().print(new String(schema.readAllBytes(), StandardCharsets.UTF_8));
      out().flush();
      return 0;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
