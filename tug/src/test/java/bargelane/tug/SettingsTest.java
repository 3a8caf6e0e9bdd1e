package bargelane.tug;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.concurrent.Callable;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;

class SettingsTest {

  @TempDir Path dir;

  @Command(name = "some", mixinStandardHelpOptions = true)
  static final class Some implements Callable<Integer> {
    @Spec private CommandSpec spec;

    @Mixin Settings.Named settings;

    @Option(names = "--name", required = true)
    private String name;

    @Option(names = "--speed", defaultValue = "usual")
    private String speed;

    @Option(names = "--quiet", negatable = true, defaultValue = "true", fallbackValue = "true")
    private boolean quiet;

    @Override
    public Integer call() throws IOException {
      if (name.equals("lost")) {
        throw new IOException("the disk is away");
      }
      if (!speed.matches("usual|full")) {
        throw Settings.wrong(spec, "--speed", "'" + speed + "' is no speed");
      }
      return quiet ? 10 : 11;
    }
  }

  private String said = "";

  private int run(String... args) {
    PrintStream before = System.err;
    java.io.ByteArrayOutputStream out = new java.io.ByteArrayOutputStream();
    try {
      System.setErr(new PrintStream(out, true, StandardCharsets.UTF_8));
      return Settings.run(new Some(), Some.class, args);
    } finally {
      System.setErr(before);
      said = out.toString(StandardCharsets.UTF_8);
    }
  }

  private String file(String text) throws IOException {
    return Files.writeString(dir.resolve("some.yaml"), text).toString();
  }

  @Test
  void theFilesValuesCountBeforeDefaultsAndAfterTheCommandLine() throws IOException {
    String file = file("# a comment\nname: harbour\nspeed: full\nquiet: false\n");
    assertEquals(11, run("--config", file), said);
    assertEquals(11, run("--config=" + file), said);
    assertEquals(10, run("--config", file, "--quiet"), said);
    assertEquals(2, run("--config", file, "--speed", "none"));
    assertTrue(said.startsWith("--speed: 'none' is no speed"), said);
    assertEquals(2, run("--config", file("")));
    assertTrue(said.contains("--name"), said);
    assertEquals(1, run("--config", file("name: lost")));
    assertEquals("Error: the disk is away\n", said);
  }

  @Test
  void aWrongValueIsToldWithItsLineAndColumn() throws IOException {
    String file = file("name: x\n\nspeed:   slow\n");
    assertEquals(2, run("--config", file));
    assertTrue(said.startsWith(file + ":3:10: speed: 'slow' is no speed"), said);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '"',
      textBlock =
          """
          "name: x\nspede: full"       | :2:1: there is no setting 'spede'; there are name, quiet, speed
          "name: x\nconfig: other"     | :2:1: there is no setting 'config'
          "name: x\nhelp: true"        | :2:1: there is no setting 'help'
          "name: x\nname: y"           | :2:1: 'name' is there already, at
          "name: [x, y]"               | :1:1: give one value for 'name'
          "? [a]\n: b"                 | there is no setting ''
          "name:"                      | :1:1: 'name' has no value
          "- name"                     | :1:1: give settings as NAME: VALUE
          "name: x\n speed: full"      | :2:7: mapping values are not allowed here
          "name: "x"                  | (the file is YAML)
          """)
  void whatIsWrongWithTheFileIsToldWithItsPlace(String text, String told) throws IOException {
    assertEquals(2, run("--config", file(text)), text);
    assertTrue(said.contains(told), said);
  }

  @Test
  void aFileThatCantBeReadIsNamed() throws IOException {
    assertEquals(2, run("--config", dir.resolve("none.yaml").toString()));
    assertTrue(said.contains("there is no file " + dir.resolve("none.yaml")), said);
    assertEquals(2, run("--config", dir.toString()));
    assertTrue(said.contains("can't be read"), said);
    Files.write(dir.resolve("bytes"), new byte[] {0, 1, 2});
    assertEquals(2, run("--config", dir.resolve("bytes").toString()));
    assertTrue(said.contains("is not YAML"), said);
    Files.write(dir.resolve("latin"), new byte[] {'a', (byte) 0xe9, 'b'});
    assertEquals(2, run("--config", dir.resolve("latin").toString()));
    assertTrue(said.contains("is not text in UTF-8"), said);
    Files.write(dir.resolve("large"), new byte[2 << 20]);
    assertEquals(2, run("--config", dir.resolve("large").toString()));
    assertTrue(said.contains("over 1 MiB"), said);
  }
}
