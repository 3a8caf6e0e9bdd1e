package bargelane.client.finding;

import static bargelane.client.Output.*;

import bargelane.api.FindingCode;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** List all codes. */
@Command(
    name = "list",
    description = "List the codes of all findings.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane finding list"})
final class ListFindings extends Common implements Callable<Integer>, Tabled {
  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/findings", FindingCode.class),
        "There is none.",
        text("CODE", FindingCode::code),
        text("BLOCKS", FindingCode::blocks),
        text("WHO", FindingCode::who),
        text("WHAT IT MEANS", FindingCode::meaning),
        text("WHAT IS USUALLY DONE", FindingCode::advice));
    return 0;
  }
}
