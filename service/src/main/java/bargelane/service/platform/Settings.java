package bargelane.service.platform;

/** Settings that the service makes for itself. */
public final class Settings {

  private Settings() {}

  /** The id of this installation, made at its first start. */
  public static String installation(Db db) {
    return db.tx(
        s -> {
          // Two nodes may start for the first time at once.
          Db.lock(s, "installation");
          SettingEntity setting = s.find(SettingEntity.class, "installation");
          if (setting == null) {
            setting = new SettingEntity();
            setting.name = "installation";
            setting.value = Ids.next("in");
            s.persist(setting);
          }
          return setting.value;
        });
  }
}
