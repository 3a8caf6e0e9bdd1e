package bargelane.client.key;

import bargelane.api.KeyChanged;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.text.Counts;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** Change the master key while the service runs. */
@Command(
    name = "rotate",
    description = {
      "Change the master key, and seal every credential with the new one, while the service runs.",
      "It lies in the service's home. A backup from before that holds no keys needs the one of before."
    },
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane key rotate"})
final class Rotate extends Common implements Callable<Integer> {

  @Override
  public Integer call() {
    Answer<KeyChanged> changed = api().post("/master-key", Map.of(), KeyChanged.class);
    if (output == Output.Form.json) {
      Output.json(out(), changed.json());
    } else {
      out()
          .println(
              "The master key is a new one; "
                  + Counts.of(
                      changed.value().secrets(), "credential is sealed", "credentials are sealed")
                  + " with it. Take a backup with the keys, or keep a copy of the file master-key.");
    }
    return 0;
  }
}
