-- MariaDB dump of a lighthouse board
/*!40101 SET @OLD_CHARACTER_SET_CLIENT=@@CHARACTER_SET_CLIENT */;
/*!40014 SET FOREIGN_KEY_CHECKS=0 */;
# another comment; with a semicolon
DROP TABLE IF EXISTS `keeper`;
/*!40101 SET character_set_client = utf8 */;
CREATE TABLE `keeper` (
  `keeper_id` int(10) unsigned NOT NULL AUTO_INCREMENT,
  `given name` varchar(40) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL COMMENT 'what they''re "called"; yes',
  `order` tinyint(4) DEFAULT NULL, `flags` set('north','south','it''s') NOT NULL DEFAULT 'north',
  `grade` enum('a','b','c\\d') DEFAULT 'a', `active` tinyint(1) NOT NULL DEFAULT 1, `bits` bit(5) DEFAULT b'101', `flag` bit(1) NOT NULL DEFAULT b'0',
  `weight` decimal(10,0) DEFAULT NULL, `size` double(8,2) DEFAULT NULL, `small` float unsigned DEFAULT NULL, `mid` mediumint(8) unsigned NOT NULL DEFAULT 7,
  `big` bigint(20) unsigned NOT NULL DEFAULT 0, `note` mediumtext DEFAULT NULL, `tiny` tinytext, `raw` varbinary(16) DEFAULT NULL, `fixed_` binary(4) DEFAULT NULL,
  `blob_` longblob DEFAULT NULL, `doc` json DEFAULT NULL, `founded` year(4) DEFAULT NULL, `at` datetime(3) DEFAULT NULL,
  `seen` timestamp NOT NULL DEFAULT current_timestamp() ON UPDATE current_timestamp(), `opens` time DEFAULT NULL, `day_` date DEFAULT NULL,
  `twice` decimal(12,0) GENERATED ALWAYS AS (`weight` * 2) STORED, `thrice` int(11) AS (`keeper_id` + 3) VIRTUAL, `email` varchar(190) NOT NULL,
  `boss_id` int(10) unsigned DEFAULT NULL, `guid` uuid DEFAULT NULL, `addr` inet6 DEFAULT NULL, `place` point DEFAULT NULL,
  PRIMARY KEY (`keeper_id`) USING BTREE,
  UNIQUE KEY `mail` (`email`), KEY `note_` (`note`(20)), UNIQUE KEY `pref` (`note`(30),`order`), FULLTEXT KEY `ft` (`note`),
  CONSTRAINT `boss` FOREIGN KEY (`boss_id`) REFERENCES `keeper` (`keeper_id`) ON DELETE SET NULL,
  CONSTRAINT `heavy` CHECK (`weight` between 1 and 900 or `weight` is null)
) ENGINE=InnoDB AUTO_INCREMENT=42 DEFAULT CHARSET=utf8mb4 COMMENT='who keeps; the light';
LOCK TABLES `keeper` WRITE;
INSERT INTO `keeper` (`keeper_id`,`given name`,`email`,`mid`) VALUES (1,'O\'Marl','marl@mail.example',3),(2,'Ines; "x"','ines@mail.example',4);
UNLOCK TABLES;
CREATE TABLE lighthouse (
  id INTEGER UNSIGNED PRIMARY KEY AUTO_INCREMENT, keeper_id INT UNSIGNED NOT NULL, code CHAR(4) NOT NULL DEFAULT '', colour VARCHAR(12) NOT NULL DEFAULT 'white',
  lit BOOLEAN NOT NULL DEFAULT TRUE, height NUMERIC(5,1), since DATE, KEY (keeper_id), UNIQUE INDEX one_code (code ASC),
  INDEX by_height USING BTREE (height), FOREIGN KEY fk_keeper (keeper_id) REFERENCES keeper (keeper_id) ON DELETE CASCADE ON UPDATE CASCADE,
  CHECK (colour IN ('white','red')), scratch int
) ENGINE = InnoDB DEFAULT CHARACTER SET = utf8mb4 COLLATE utf8mb4_general_ci ROW_FORMAT=DYNAMIC;
ALTER TABLE lighthouse ADD COLUMN (one int, two varchar(3) DEFAULT 'x'), ADD three smallint NOT NULL DEFAULT 1 AFTER code, ADD four int FIRST;
ALTER TABLE lighthouse MODIFY COLUMN height decimal(6,2) NOT NULL COMMENT 'in metres', CHANGE one first_ int(11) DEFAULT 5, DROP two, DROP COLUMN scratch;
ALTER TABLE `lighthouse` ADD UNIQUE KEY `pair` (`keeper_id`,`three`), ADD INDEX (since), ADD CONSTRAINT tall CHECK (height < 300), DROP INDEX by_height, ALGORITHM=COPY;
ALTER TABLE lighthouse ALTER COLUMN three SET DEFAULT 9, RENAME COLUMN four TO fourth, AUTO_INCREMENT = 7;
CREATE TABLE twin LIKE lighthouse;
RENAME TABLE twin TO twin_light;
CREATE UNIQUE INDEX by_day ON twin_light (since, colour(4));
DELIMITER //
CREATE PROCEDURE count_them() BEGIN DECLARE n INT; IF 1 > 0 THEN SELECT count(*) INTO n FROM keeper; END IF; SELECT n; END //
CREATE TRIGGER touched BEFORE INSERT ON keeper FOR EACH ROW BEGIN SET NEW.`order` = 1; END //
DELIMITER ;
CREATE VIEW bright AS SELECT code FROM lighthouse WHERE lit;
/*!50001 CREATE VIEW dim AS SELECT code FROM lighthouse WHERE NOT lit */;
CREATE TABLE gone (id int); DROP TABLE gone;
/*!40014 SET FOREIGN_KEY_CHECKS=1 */;
