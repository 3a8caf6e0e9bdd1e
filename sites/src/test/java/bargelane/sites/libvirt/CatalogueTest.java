package bargelane.sites.libvirt;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.sites.SiteException;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.FileTime;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** The file that says what of ours lies on a host, with the shell of this machine. */
class CatalogueTest {

  @TempDir private Path host;
  private Path directory;
  private Catalogue catalogue;

  @BeforeEach
  void open() {
    directory = host.resolve("of ours");
    catalogue = another();
  }

  private Catalogue another() {
    return new Catalogue(
        "hithe", new HostShell("hithe", host, Optional.empty()), directory.toString());
  }

  private static Catalogue.Volume volume(String layer) {
    return new Catalogue.Volume("o", "hold", 4096, layer);
  }

  private List<String> left() throws IOException {
    try (Stream<Path> files = Files.list(directory)) {
      return files.map(f -> f.getFileName().toString()).sorted().toList();
    }
  }

  @Test
  void aHostThatHasNothingOfOursIsReadAsEmpty() {
    assertEquals(Catalogue.State.empty(), catalogue.read());
  }

  @Test
  void whatIsChangedIsReadBackByAnother() throws IOException {
    String told =
        catalogue.change(
            s -> {
              s.volumes().put("d0", volume("/hold/d0.2"));
              s.layers().put("/hold/d0.1", new Catalogue.Layer("qcow2", "/hold/base", true, false));
              s.layers().put("/hold/d0.2", new Catalogue.Layer("qcow2", "/hold/d0.1", true, false));
              s.points().put("p1", new Catalogue.Point("o", Map.of("d0", "/hold/d0.1")));
              return "done";
            });
    assertEquals("done", told);
    Catalogue.State state = another().read();
    assertEquals(1, state.revision());
    assertEquals("/hold/d0.2", state.fileOf("d0"));
    assertEquals("d0", state.volumeOf("/hold/d0.2"));
    assertEquals("/dev/own", state.volumeOf("/dev/own"));
    assertTrue(state.frozen().contains("/hold/d0.1"));
    assertEquals(List.of("/hold/d0.2"), state.children("/hold/d0.1"));
    assertEquals(List.of("catalogue.json", "lock"), left());
  }

  @Test
  void aChangeThatChangesNothingWritesNothing() {
    catalogue.change(s -> s.volumes().put("d0", volume("a")));
    catalogue.change(s -> s.volumes().put("d0", volume("a")));
    assertEquals(1, catalogue.read().revision());
  }

  @Test
  void ofManyWhoChangeItAtOnceNoneIsLost() throws Exception {
    int each = 5;
    AtomicInteger applied = new AtomicInteger();
    ExecutorService changers = Executors.newFixedThreadPool(4);
    try {
      List<Future<?>> all = new ArrayList<>();
      for (int c = 0; c < 4; c++) {
        String of = "c" + c + "-";
        Catalogue own = another();
        all.add(
            changers.submit(
                () -> {
                  for (int i = 0; i < each; i++) {
                    String name = of + i;
                    own.change(
                        s -> {
                          applied.incrementAndGet();
                          return s.volumes().put(name, volume(name));
                        });
                  }
                }));
      }
      for (Future<?> one : all) {
        one.get();
      }
    } finally {
      changers.shutdownNow();
    }
    Catalogue.State state = catalogue.read();
    assertEquals(4 * each, state.volumes().size());
    // One revision a change, however often one was applied again.
    assertEquals(4L * each, state.revision());
    assertTrue(applied.get() >= 4 * each);
    assertEquals(List.of("catalogue.json", "lock"), left());
  }

  @Test
  void oneThatIsDamagedOrOfAnotherFormatIsLeftAsItIs() throws IOException {
    Files.createDirectories(directory);
    Path file = directory.resolve("catalogue.json");
    for (String text :
        List.of("{\"format\":\"bargelane/host-catalogue/1\",\"rev", "{\"format\":\"other/9\"}")) {
      Files.writeString(file, text);
      SiteException refused =
          assertThrows(
              SiteException.class, () -> catalogue.change(s -> s.volumes().put("d0", volume("a"))));
      assertTrue(refused.code().startsWith("catalogue-"), refused.code());
      assertTrue(refused.getMessage().contains(file.toString()), refused.getMessage());
      assertEquals(text, Files.readString(file));
    }
  }

  @Test
  void aPlaceThatCannotBeWrittenIsAnErrorThatNamesTheSite() throws IOException {
    Files.writeString(directory, "a file in the directory's place");
    SiteException refused =
        assertThrows(
            SiteException.class, () -> catalogue.change(s -> s.volumes().put("d0", volume("a"))));
    assertTrue(refused.getMessage().startsWith("hithe: "), refused.getMessage());
  }

  @Test
  void whatAKilledWriterLeftGoesAndWhatAnotherIsWritingStays() throws IOException {
    put(catalogue, "first");
    Path left = Files.writeString(directory.resolve(".new.killed"), "half");
    Files.setLastModifiedTime(
        left,
        FileTime.from(Instant.now().minus(Duration.ofHours(2)))); // by the file system's clock
    Path atWork = Files.writeString(directory.resolve(".new.atwork"), "half");
    put(another(), "second");
    assertTrue(Files.notExists(left));
    assertTrue(Files.exists(atWork));
    assertEquals(2, catalogue.read().volumes().size());
  }

  private static void put(Catalogue in, String name) {
    in.change(
        s -> {
          s.volumes().put(name, volume(name));
          return null;
        });
  }

  @Test
  void smallFilesOfAPointKeepEveryByteAndGoWithIt() {
    byte[] every = new byte[256];
    for (int i = 0; i < every.length; i++) {
      every[i] = (byte) i;
    }
    catalogue.putFile("p/1", "vars ../x", every);
    catalogue.putFile("p/1", "none", new byte[0]);
    assertArrayEquals(every, catalogue.file("p/1", "vars ../x").orElseThrow());
    assertArrayEquals(new byte[0], catalogue.file("p/1", "none").orElseThrow());
    assertEquals(Optional.empty(), catalogue.file("p/1", "other"));
    catalogue.removeFiles("p/1");
    assertEquals(Optional.empty(), catalogue.file("p/1", "none"));
  }
}
